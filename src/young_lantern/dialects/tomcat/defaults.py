"""What silence means in Tomcat 10.1, stated in its documentation, confirmed on 10.1.60."""

from __future__ import annotations

from ...model import Folders, MediaTypes, PathReading, TypeTable

# CoyoteAdapter, postParseRequest and normalize: parameters of segments are cut off first, then all is decoded, slashes are merged and dots resolved; `%2F`, and
# what leads above the root, are 400. URLEncoder.DEFAULT: what goes out unescaped besides letters and digits.
READING = PathReading(encoded_slash_status=400, cuts_parameters=True, keeps_empty_query=True, escapes=" \"#%<>?[\\]^`{|}", escapes_in_captures="", encoded_captures=True)
HTTP_PORT, HTTPS_PORT = 80, 443
# Connector, redirectPort: where it is not written, requests that must be secure go to the usual port.
REDIRECT_PORT = 443
# conf/web.xml as packaged. A web.xml of an application replaces the list.
WELCOME = ("index.html", "index.htm", "index.jsp")
# DefaultServlet: POST is answered as GET is; PUT and DELETE need `readonly` to be false; what HttpServlet does not know is 501.
METHODS = ("GET", "HEAD", "POST")
KNOWN_METHODS = ("GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "TRACE")
# Without a conf/web.xml beside the main file: as packaged, whose table is that of the system, nearly.
MEDIA_TYPES = MediaTypes(table=TypeTable(), registered=True, otherwise="", forced="", charset="", charset_types=())
# Connector, compression attributes.
COMPRESSED_TYPES = ("text/html", "text/xml", "text/plain", "text/css", "text/javascript", "application/javascript", "application/json", "application/xml")
COMPRESSION_MINIMUM = 2048
# RemoteIpValve: the addresses of private networks (RFC 1918, RFC 4193, and those of the machine itself), as its pattern says.
INTERNAL_PROXIES = ("10.0.0.0/8", "192.168.0.0/16", "172.16.0.0/12", "169.254.0.0/16", "127.0.0.0/8", "100.64.0.0/10", "::1/128", "fe80::/10", "fc00::/7")


def folders(welcome: tuple[str, ...], listing: bool) -> Folders:
    """DefaultServlet: the slash is added with 302; a folder without a welcome file, unless folders are listed, is 404."""
    return Folders(index=tuple((name,) for name in welcome), listing=listing, added_slash=302, no_index_status=404, slash_as_sent=True)
