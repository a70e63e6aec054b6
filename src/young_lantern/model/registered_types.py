"""The registered media types of what web sites hold, by the endings of file names: what a system's own table says.

Source:   IANA, "Media Types"; RFC 9239 (JavaScript), RFC 7303 (XML), RFC 8081 (fonts); the names as Debian's media-types package has them in
          /etc/mime.types, which httpd and Caddy read there.
Left out: some 1,300 endings that hardly any site has: what a system's table says of them is not known.
"""

from __future__ import annotations

_TABLE = """
    text/html html htm shtml | application/xhtml+xml xhtml | text/css css | text/javascript js mjs | application/json json
    application/ld+json jsonld | application/xml xml | application/xml-dtd dtd | application/xslt+xml xsl xslt | text/plain txt text | text/csv csv
    text/tab-separated-values tsv | text/markdown md markdown | text/calendar ics | text/vcard vcf vcard | application/pdf pdf
    application/wasm wasm | application/atom+xml atom | application/rss+xml rss | application/manifest+json webmanifest
    application/rdf+xml rdf | application/mathml+xml mml | image/svg+xml svg svgz | image/png png | image/jpeg jpg jpeg jpe | image/gif gif
    image/webp webp | image/avif avif | image/heic heic | image/heif heif | image/bmp bmp | image/tiff tif tiff
    image/vnd.microsoft.icon ico | image/vnd.adobe.photoshop psd | font/woff woff | font/woff2 woff2 | font/ttf ttf | font/otf otf
    font/collection ttc | application/vnd.ms-fontobject eot | audio/mpeg mp3 | audio/mp4 m4a | audio/aac aac | audio/ogg oga ogg opus
    audio/flac flac | audio/x-wav wav | video/mp4 mp4 m4v | video/mpeg mpg mpeg | video/webm webm | video/ogg ogv | video/quicktime mov
    video/x-msvideo avi | video/x-matroska mkv | video/x-flv flv | video/x-ms-wmv wmv | application/vnd.apple.mpegurl m3u8
    application/zip zip | application/gzip gz | application/x-gtar-compressed tgz | application/x-tar tar | application/x-xz xz
    application/x-7z-compressed 7z | application/vnd.rar rar | application/java-archive jar | application/zstd zst | application/msword doc
    application/vnd.openxmlformats-officedocument.wordprocessingml.document docx | application/vnd.ms-excel xls
    application/vnd.openxmlformats-officedocument.spreadsheetml.sheet xlsx | application/vnd.ms-powerpoint ppt
    application/vnd.openxmlformats-officedocument.presentationml.presentation pptx | application/vnd.oasis.opendocument.text odt
    application/vnd.oasis.opendocument.spreadsheet ods | application/vnd.oasis.opendocument.presentation odp | application/rtf rtf
    application/epub+zip epub | application/postscript ps eps ai | application/octet-stream bin | application/x-msdos-program exe dll
    application/x-msi msi | application/vnd.debian.binary-package deb | application/x-redhat-package-manager rpm
    application/x-apple-diskimage dmg | application/x-iso9660-image iso | application/vnd.android.package-archive apk
    application/x-bittorrent torrent | application/geo+json geojson | application/vnd.google-earth.kml+xml kml
    application/vnd.google-earth.kmz kmz | application/x-x509-ca-cert crt | application/pkix-crl crl | application/pkcs12 p12 pfx
    application/pem-certificate-chain pem | text/vnd.sun.j2me.app-descriptor jad | text/vnd.wap.wml wml | application/vnd.wap.wmlc wmlc
    image/vnd.wap.wbmp wbmp | text/x-component htc | image/x-jng jng | video/x-mng mng | application/mac-binhex40 hqx
    application/vnd.oasis.opendocument.graphics odg | application/x-java-jnlp-file jnlp | text/x-perl pl pm | application/x-stuffit sit
    application/vnd.adobe.flash.movie swf | application/x-tcl tcl | application/x-xpinstall xpi | application/xspf+xml xspf
    audio/sp-midi mid | audio/x-pn-realaudio ra | application/vnd.ms-asf asf
"""

REGISTERED: dict[str, str] = {ending: words[0] for line in _TABLE.replace("\n", "|").split("|") if (words := line.split()) for ending in words[1:]}

# Names of one type: what a client makes of either is the same. RFC 9239 section 6, RFC 7303 section 9.2, RFC 8081 section 4.4; the rest as IANA
# notes, or names from before a registration.
_ALIASES = """
    text/javascript application/javascript application/x-javascript | application/xml text/xml | font/woff application/font-woff application/x-font-woff
    font/woff2 application/font-woff2 | font/ttf application/x-font-ttf application/x-font-truetype | font/otf application/x-font-opentype
    image/vnd.microsoft.icon image/x-icon | image/bmp image/x-ms-bmp | application/rss+xml application/x-rss+xml | audio/mp4 audio/x-m4a
    application/vnd.rar application/x-rar-compressed | application/gzip application/x-gzip | application/mathml+xml text/mathml
    video/mp4 video/x-m4v | audio/sp-midi audio/midi | application/vnd.adobe.flash.movie application/x-shockwave-flash
    audio/x-pn-realaudio audio/x-realaudio | application/vnd.ms-asf video/x-ms-asf | text/x-perl application/x-perl | application/x-redhat-package-manager application/x-rpm | text/markdown text/x-markdown
"""
_USUAL: dict[str, str] = {name: words[0] for line in _ALIASES.replace("\n", "|").split("|") if (words := line.split()) for name in words}


def usual_name(media_type: str) -> str:
    """A media type without parameters, in small letters, under the name that all of its names share."""
    bare = media_type.partition(";")[0].strip().lower()
    return _USUAL.get(bare, bare)
