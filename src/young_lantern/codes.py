"""Every finding code, worded once. docs/findings.md is made from this table (tests hold them together).

Order: by family, then as a reader of a report would meet them. Names are stable: they may be added to, not changed.
"""

from __future__ import annotations

from .model.findings import Code, Family, Severity

CODES: dict[str, Code] = {}


def _code(name: str, family: Family, severity: Severity, says: str, why: str, do: str) -> Code:
    CODES[name] = Code(name, family, severity, says, why, do)
    return CODES[name]


_R, _H, _T, _B, _TLS, _L = Family.READING, Family.HEALTH, Family.TRANSLATION, Family.BEHAVIOUR, Family.TLS, Family.LIVE
_BREAKING, _MINOR, _NOTE = Severity.BREAKING, Severity.MINOR, Severity.NOTE

# Reading
DIRECTIVE_UNKNOWN = _code("directive-unknown", _R, _BREAKING,
    "{directive} is not a directive of {dialect} that we know",
    "{dialect} itself may refuse it, or a module that is not part of the stock server brings it",
    "check the spelling{likely}, or carry its effect over by hand")
DIRECTIVE_MISPLACED = _code("directive-misplaced", _R, _BREAKING,
    "{directive} may not stand in {within}",
    "{dialect} refuses a configuration with a directive in the wrong block",
    "move it to {allowed}")
WORDS_WRONG = _code("words-wrong", _R, _BREAKING,
    "{directive} takes another number of words: {shape}",
    "{dialect} refuses a configuration with too few or too many words",
    "write it as {shape}")
VALUE_UNREAD = _code("value-unread", _R, _BREAKING,
    "{value} is not a value that {directive} takes",
    "{expected}",
    "correct the value; until then the directive is left out of the translation")
SETTING_LOST = _code("setting-not-read", _R, _BREAKING,
    "{setting}, of {directive}, is not read",
    "{reason}",
    "see how the new server chooses, and leaves out, an origin; the rest of the line is carried")
PATTERN_OF_THE_WHOLE = _code("pattern-of-the-whole", _H, _MINOR,
    "{pattern} holds for nothing longer than what it says",
    "in Tomcat a pattern of a rule is for the whole text, and not for a part of it, though this one is tied to one end alone; it is carried as it is",
    "write .* where more may stand, if more was meant; then the rule holds more often than it does now")
FILE_TEST_IN_VAIN = _code("file-test-in-vain", _H, _MINOR,
    "{condition} never finds anything",
    "REQUEST_FILENAME is empty in Tomcat for whatever its file server is for, and an empty name is no file and no folder; it is carried as it is",
    "ask for %{REQUEST_PATH}, if the file or folder of the request was meant; then the rule holds where it does not now, or the other way round")
RULES_MISSING = _code("rules-not-found", _H, _MINOR,
    "{valve} has no rules: there is no file {file}",
    "the server goes on without them, and says no more of it than a line in its log",
    "put the file there, if its rules are meant to be in force, and translate again; else take the valve out")
PART_UNREAD = _code("part-not-read", _R, _BREAKING,
    "{setting}, of {directive}, is not read",
    "{reason}",
    "see to it by hand in the new configuration, if it matters there; the rest of what stands beside it is carried")
PATH_INFORMATION_AGAIN = _code("path-information-again", _R, _BREAKING,
    "the rules after {directive} see the path information of a request behind the new path once more",
    "httpd puts what follows the first name that is no folder (/a of /page.html/a, or of /gone/a) behind the path for each further rule; what such requests come to is left open here, and written without it",
    "write L if no rule shall follow, or DPI if the path information shall not come again; otherwise ask for such paths before and after the move")
VARIABLE_UNREAD = _code("variable-unread", _R, _BREAKING,
    "the variable {variable} has no counterpart in the model",
    "its value depends on something other than the request, or on a module that is not read yet",
    "replace what {directive} does with it by hand")
CONDITION_UNREAD = _code("condition-unread", _R, _BREAKING,
    "the condition {condition} cannot be read",
    "it is none of the kinds that the model has; it is taken as never holding",
    "translate this block by hand and check the requests it is meant for")
LINK_BESIDE = _code("link-beside-files", _R, _MINOR,
    "{condition} is left out, since the same is asked of files and folders",
    "httpd looks through links when it asks for a file or a folder; what remains is a link that leads nowhere, which is treated like a name that is not there",
    "remove links that lead nowhere")
SIZE_UNASKED = _code("size-not-asked", _R, _MINOR,
    "{condition} is taken as the question whether there is a file",
    "no other server asks whether a file has anything in it; an empty one counts as there, where httpd goes on as if it were not",
    "remove empty files, or fill them")
COMPARED_ROUND = _code("compared-around-the-edges", _R, _MINOR,
    "{condition} is taken as a pattern, which asks otherwise of numbers from 2147483648 on, and of letters beyond ASCII",
    "httpd counts such a number from below zero again, so that a content of 2 GiB is less than one of 1 MiB, and the octets of a text, where others count letters; tabs and ends of lines before a number are blanks to it",
    "write a bound that is meant for sizes as an expression (`RewriteCond expr`), which counts on")
MATCHERS_BY_CHANCE = _code("matchers-by-chance", _R, _BREAKING,
    "{condition} uses what another matcher of its set took",
    "a set has its matchers in any order, another one each time that Caddy starts, so that what was taken is there or not by chance",
    "take the value in a map, or ask for the one within a handle of the other")
INCLUDE_EMPTY = _code("include-empty", _R, _MINOR,
    "{pattern} matches no file",
    "an include with a wildcard that finds nothing is silent in the server, so what was meant to be read is missing",
    "check the path; a link to a removed file or an unmounted folder is the usual cause")
PROTOCOL_UNREAD = _code("origin-protocol-not-read", _R, _BREAKING,
    "{directive} asks an origin by {protocol}, which is not read",
    "no other server here speaks it; requests meant for that origin are not passed on",
    "let the origin speak HTTP as well (Tomcat: an HTTP connector beside the one for AJP), and pass requests on to that")
PLACE_UNREAD = _code("place-not-read", _R, _BREAKING,
    "{directive} is not read where it stands",
    "it stands in a section by a pattern, in <Proxy>, or in one that no ProxyPass line by prefix is for",
    "put it beside the ProxyPass line, or into a <Location> for a path")
GROUP_AS_IT_IS = _code("group-as-it-is", _R, _NOTE,
    "who is in {groups} is taken from {file} as it is now",
    "only httpd has groups of users; in other dialects their members are named one by one",
    "whoever joins or leaves a group later must be named, or taken out, in the new configuration, too")
INCLUDE_ELSEWHERE = _code("include-from-elsewhere", _R, _NOTE,
    "{pattern} is read from where this machine has it",
    "the configuration is not where packages put it, so it may be a copy of another machine's, and nothing of that name lies beside it",
    "if it is another machine's, copy that file, too, and say where: --files-at {folder}=FOLDER")
FOLDER_FILES_UNSEEN = _code("htaccess-not-seen", _R, _BREAKING,
    "the folder {folder} is not on this machine, so its .htaccess files could not be read",
    "the configuration lets such files change what is answered from there",
    "say where a copy of the folder lies: --files-at {folder}=FOLDER; or copy their rules into a section for the folder")
FOLDER_FILES_CUT = _code("htaccess-search-ended", _R, _BREAKING,
    "below {folder} there are more than {limit} folders; .htaccess files in the rest were not looked for",
    "every folder that is served may hold one",
    "name only what is served with --files-at, or forbid such files below with AllowOverride None")
FOLDER_FILE_REFUSED = _code("htaccess-refused", _R, _BREAKING,
    "all below {folder} is answered with 500: {what}",
    "the server refuses the whole folder for one line of its .htaccess file",
    "correct or permit the line; until then the translation answers 500 there, too")
PATTERN_UNREAD = _code("pattern-unread", _R, _BREAKING,
    "the regular expression {pattern} cannot be read: {reason}",
    "the server may refuse it too",
    "correct the expression")
MODULE_MISSING = _code("module-missing", _R, _BREAKING,
    "{directive} needs the module {module}, which is not loaded",
    "the server does not start with a directive that none of its modules knows",
    "load the module in the source, or remove the directive; it is left out of the translation")
QUESTION_LENGTH = _code("question-keeps-length", _R, _MINOR,
    "the question at {path} says how much content a request has, and comes without it",
    "who is asked waits for content that never comes, so that requests with content are answered after a minute, with an error",
    'add proxy_pass_request_body off; and proxy_set_header Content-Length ""; where it is asked')
LANGUAGE_BY_NAME = _code("language-by-name", _R, _MINOR,
    "files whose names have an ending of a language ({endings}) are sent with Content-Language; this is not carried",
    "no other server looks for a language in the names of files",
    "give such files the field by a rule for their names, if a program or a search engine asks for it")
WITHOUT_EFFECT = _code("without-effect", _R, _NOTE,
    "{directive} takes part in no answer here",
    "nothing in this block, or below it, uses what it sets, or a later line takes its place",
    "nothing; remove it when you tidy up")

# Source health
SITE_NOT_ENABLED = _code("site-not-enabled", _H, _NOTE,
    "the site file {file} is there but not enabled",
    "no include names it and no link in the enabled folder points to it, so the server does not read it",
    "enable it before the move if it should be live, or leave it behind")
PORT_NOT_OPEN = _code("port-not-open", _H, _BREAKING,
    "{host} is for port {port}, but nothing listens there",
    "a virtual host does not open its port; without a line that does, nobody reaches it",
    "open the port, or leave the site behind")
PORT_NAMED_ELSEWHERE = _code("port-named-elsewhere", _H, _BREAKING,
    "{host} is for any port, and answers nobody on port {port}: another site names it",
    "Apache httpd asks those that name the port alone, if there is one of them for the address",
    "name the port in both, or in none")
NAME_CLAIMED_TWICE = _code("name-claimed-twice", _H, _BREAKING,
    "the name {host} on port {port} is claimed by two sites; the one at {winner} answers",
    "the server keeps the first and ignores the second, with a warning in its log only",
    "remove the name from one of them")
TLS_VERSIONS_UNHEARD = _code("tls-versions-unheard", _H, _MINOR,
    "the TLS versions {said} are in force for nobody: {versions} are offered",
    "a version is agreed on before the server knows which host is asked for, so that the default server of the port decides, at {default}",
    "say them in the default server, or give the site an address or port of its own")
RULE_ONLY_PLAIN = _code("rule-only-in-plain-site", _H, _MINOR,
    "{directive} stands in the plain-HTTP site of {host}, while its TLS site has no such rule",
    "browsers that come over TLS are answered by the other site and never meet this rule",
    "repeat the rule in the TLS site, or redirect plain HTTP to it altogether")
ROUTE_UNREACHABLE = _code("route-unreachable", _H, _MINOR,
    "the route {route} can never be reached",
    "{reason}",
    "remove it, or put it where it is met")
REDIRECT_LOOP = _code("redirect-loop", _H, _BREAKING,
    "the redirect of {url} leads back to itself",
    "the browser will follow it until it gives up",
    "exclude the target of the redirect from the rule")
SOCKET_UNASKED = _code("socket-not-asked", _H, _BREAKING,
    "what {directive} passes on goes to {other} instead",
    "httpd knows an origin by its name, and a line further up gave the same name to another socket or address",
    "give each socket a name of its own behind the bar, as in unix:/run/app.sock|http://app/")
POOL_UNKNOWN = _code("pool-without-members", _H, _BREAKING,
    "{pool} has no origin that can answer",
    "every member is marked as down, or there is none",
    "name at least one origin")
ROOT_MISSING = _code("document-root-not-found", _H, _MINOR,
    "the document root {folder} is not there, though the folder around it, or another root, is",
    "every answer from it is an error, and not the same one everywhere: httpd leaves out its rules for a folder that is not there, and may refuse to start",
    "correct the path, or create the folder before the move")
COOKIE_PARTS = _code("cookie-parts-by-request", _H, _MINOR,
    "a request may decide on more of the cookie {flag} than its value",
    "httpd completes the flag before it looks for the signs between its parts: one that the request brings, or an empty value, makes another cookie, or none",
    "begin the flag with a semicolon, and let the pattern take letters, digits and hyphens only")
PAGE_LEFT = _code("page-left-on-connection", _H, _BREAKING,
    "the page {page} for errors is answered by an origin, and left unread on the connection to it when the client asks by HEAD",
    "httpd asks for such a page by GET, sends a client that asked by HEAD no content and reads none; the next request on that connection, another client's, may get the page for its answer",
    "close these connections: SetEnvIf REDIRECT_STATUS \"^[45]\" proxy-nokeepalive in <Location \"/\">; or serve the page from a file")
CERTIFICATE_MISSING = _code("certificate-not-found", _TLS, _MINOR,
    "the certificate file {file} is not on this machine",
    "it could not be checked whether it covers the names of the site or has expired",
    "run the survey where the file lies, or check it by hand")
CERTIFICATE_NAME = _code("certificate-does-not-cover", _TLS, _BREAKING,
    "the certificate {file} does not cover {host}",
    "none of its subject alternative names holds this host (RFC 9525 section 6.3)",
    "issue a certificate that names it")
CERTIFICATE_EXPIRED = _code("certificate-expired", _TLS, _BREAKING,
    "the certificate {file} expired on {date}",
    "clients refuse it",
    "renew it before the move")
TLS_WITHOUT_CERTIFICATE = _code("tls-without-certificate", _TLS, _BREAKING,
    "the site {host} answers on a TLS listener but has no certificate",
    "the handshake fails for every client",
    "name a certificate and its key")

# Translation
NO_COUNTERPART = _code("no-counterpart", _T, _BREAKING,
    "{directive} cannot be carried to {target}",
    "{reason}",
    "{advice}")
NOT_WRITTEN = _code("not-written", _T, _BREAKING,
    "{directive} left no trace in the new configuration",
    "this is a defect of Young Lantern: the directive was read, but no writer took it",
    "carry it over by hand, and report it")
PATTERN_BEYOND = _code("pattern-beyond-engine", _T, _BREAKING,
    "the regular expression {pattern} cannot be written for {target}",
    "its engine has no {features}",
    "rewrite the expression without it, or split it into several rules")
CASE_IGNORED = _code("path-case-ignored", _T, _MINOR,
    "{target} compares the path {path} without regard to case",
    "its path matcher ignores case on purpose; {source} told upper from lower case here",
    "nothing, unless two paths differ only in case; --strict writes an expression that minds case")
TYPE_BY_NAME = _code("type-by-name", _T, _MINOR,
    "{field} goes by the end of the path where an origin answers, no longer by the type that the origin says",
    "matchers of the target see the request, and the type of an answer is not known by then",
    "check paths of the origin whose end does not tell their type; a field that the origin sends itself needs no rule")
EXPIRES_DATE_LOST = _code("expires-date-lost", _T, _MINOR,
    "the Expires field is not sent any more; Cache-Control max-age is",
    "{target} cannot compute a date; where both are present max-age decides anyway (RFC 9111 section 5.3)",
    "nothing, unless a client is older than HTTP/1.1")
COOKIE_AGE = _code("cookie-age-for-date", _T, _MINOR,
    "a cookie says how long it lasts, no longer on which date it ends",
    "{target} cannot compute a date; clients go by Max-Age where both are there (RFC 6265 section 5.3)",
    "nothing, unless a client is older than that")
FIELD_ON_ERRORS = _code("field-also-on-errors", _T, _MINOR,
    "{target} sends the field {field} on every status; {source} sent it on success and redirects only",
    "the field is set before it is known what the origin answers",
    "check what the field does on an error page, above all Cache-Control")
CLIENT_BEHIND_ALL = _code("client-behind-all-proxies", _T, _MINOR,
    "the client's address is looked for behind every proxy that is believed, not behind the nearest one alone",
    "{target} goes on to the next address of {field} as long as the one found is a proxy's",
    "leave out of the list of proxies those whose word should not count")
VERDICT_LOST = _code("verdict-not-passed-on", _T, _BREAKING,
    "what the origin that is asked first answers, other than success, 401 and 403, becomes the error 500",
    "{target} passes no such answer on to the client; {source} did, so that a redirect to a page for signing in came through",
    "have the origin answer 401, and send clients to the page for signing in with error_page 401")
CLIENT_PRIVATE = _code("client-private-address", _T, _MINOR,
    "a private address in {field} is believed from every proxy that may name the client",
    "{source} takes one from internal proxies only",
    "leave the proxies whose word should not count for private addresses out of the list")
CLIENT_CHAIN_TRUST = _code("client-chain-not-trusted", _T, _MINOR,
    "{target} starts X-Forwarded-For afresh; {source} kept what the client had sent and added to it",
    "anybody can send that field, so {target} keeps it from trusted proxies only",
    "name the proxies in front of this server as trusted, if there are any; --strict trusts everybody, as before")
PROXY_DEFAULTS = _code("origin-fields-added", _T, _MINOR,
    "{target} sends {fields} to the origin as well; {source} did not",
    "its proxy adds them by itself",
    "nothing, unless the application acts on them")
ORIGIN_CONNECTION = _code("origin-http-version", _T, _MINOR,
    "the origin is asked with HTTP/1.1 and a kept connection, not with HTTP/{version}",
    "{target} has no older version for its origins",
    "nothing, unless the origin is very old")
ORIGIN_GZIP = _code("origin-asked-for-gzip", _T, _MINOR,
    "origins are asked for gzip where a client accepts no coding",
    "the proxy of {target} does so by itself, and unpacks what comes",
    "nothing: clients see the same; `compression off` in the transport keeps origins from it")
ANY_CASE = _code("replaced-in-any-case", _T, _MINOR,
    "{text} is replaced in letters of either case",
    "{target} looks for texts without regard to case",
    "nothing, where the text has one spelling only, as names of hosts mostly have")
EVERY_PLACE = _code("replaced-everywhere", _T, _MINOR,
    "{text} is replaced wherever it stands in an answer",
    "{target} has no way to stop after the first place",
    "nothing, where the text stands there only once, as the end of a head does")
COMPRESSES_ALL = _code("short-answers-compressed", _T, _MINOR,
    "answers of less than {least} bytes are compressed as well",
    "{target} has no shortest length for compression",
    "nothing: it costs little, and every client that asks for it can read it")
OWN_LINE_UNREAD = _code("new-line-not-compared", _T, _MINOR,
    "what this line of the new configuration does is not compared: {reason}",
    "it was written for a line of the source, and nobody reads it back",
    "ask the server itself: compare with --live")
INSIDE_FOR_ORIGINS = _code("origins-lead-inside", _T, _BREAKING,
    "nothing here leads to {place}, which clients cannot ask for: an origin must (X-Accel-Redirect)",
    "what an origin answers with that field is read by nginx alone; elsewhere the field goes to the client, and the file is not sent",
    "look what the origin sends; have it send the file itself, or write it by hand: Caddy can intercept the field in its reverse_proxy, httpd needs a module for it")
CACHE_OWN_FOLDER = _code("cache-begins-anew", _T, _MINOR,
    "kept answers begin anew, in {folder}",
    "the files of a cache can be read by no other server than the one that made them",
    "make the folder, owned by the user that {target} runs as; see that nothing grows without bounds there")
CACHE_LESS = _code("cache-keeps-less", _T, _MINOR,
    "fewer answers are kept: not {what}",
    "{target} keeps these only where the answer says itself for how long",
    "have the origin send Cache-Control with them, if it is asked too often")
CACHE_OTHERWISE = _code("cache-works-otherwise", _T, _MINOR,
    "{what} of the cache is not carried",
    "{target} has no such setting",
    "nothing, if the origin bears what comes of it")
CACHE_BEFORE_ACCESS = _code("cache-before-access", _H, _MINOR,
    "kept answers are given before anybody is asked who he is",
    "CacheQuickHandler is on, as it is where nothing is said of it",
    "say CacheQuickHandler Off, or keep nothing where only some may enter")
SPEED_ROUNDED = _code("speed-rounded", _T, _MINOR,
    "answers go out at {after} octets a second in the place of {before}",
    "{target} counts in whole KiB",
    "nothing, if it is near enough")
CHARSET_BY_ENDING = _code("charset-by-ending-left-out", _T, _MINOR,
    "a file whose name has {endings} in it is sent without charset={charset}",
    "{target} has no charset by the ending of a file's name",
    "nothing, if there are no such files; else write the charset into the files, or set Content-Type for them")
MEDIA_TYPE_DIFFERS = _code("media-type-differs", _T, _MINOR,
    "files that end in .{extension} are sent as {after}, not as {before}",
    "{target} takes the media type of a file from its own table and from the system's, which hold the registered types",
    "set Content-Type with a header line for these files if a client minds")
LOG_FORMAT = _code("log-format-differs", _T, _MINOR,
    "the access log is not written in the format {format}",
    "{target} does not have this format",
    "point whatever reads the log at the new format")
IPV6_TOO = _code("also-on-ipv6", _T, _MINOR,
    "port {port} is opened on IPv6 as well",
    "{target} listens on every address unless told otherwise; {source} opened IPv4 only",
    "nothing, or bind to the IPv4 address; --strict does")
TRACE_ECHO_LOST = _code("trace-not-answered", _T, _MINOR,
    "the method TRACE is no longer answered with the request itself",
    "{source} does so unless TRACE is switched off; {target} {does}",
    "nothing: no page asks by this method, and scanners complain of servers that answer it")
STATUS_PAGE = _code("status-page-differs", _T, _MINOR,
    "the page on the server's own state is the one of {target}",
    "{source} shows other numbers, in another form",
    "have your monitoring read the new page, and see that nobody else can reach it")
TRACE_PASSED = _code("trace-passed-on", _T, _MINOR,
    "the method TRACE is no longer refused",
    "{source} refused it; {target} takes it for any other method, and passes it on to origins",
    "nothing: no page asks by this method; refuse it with a rule where scanners complain of it")
TRACE_REFUSED = _code("trace-refused", _T, _MINOR,
    "the method TRACE is refused",
    "{source} took it for any other method; {target} knows it, and has been told to refuse it",
    "nothing: no page asks by this method")
OTHER_DEFAULT = _code("other-default-on-ipv6", _T, _MINOR,
    "hosts that no site names go to another site on IPv6: port {port}",
    "{target} has one such site for all addresses of a port; {source} had one for IPv4, {here}, and one for IPv6, {there}",
    "let both families open the same sites in the source, or bind sites to addresses")
TLS_PROTOCOLS_CHANGED = _code("tls-versions-differ", _TLS, _MINOR,
    "TLS versions offered change from {before} to {after}",
    "{target} does not offer versions below 1.2",
    "check that no client still needs them")
TLS_VERSIONS_SHARED = _code("tls-versions-shared", _TLS, _MINOR,
    "TLS versions offered change from {before} to {after}: sites on one port share them",
    "{target} agrees on a version before it knows which host is asked for, so that one set counts for all sites of an address and port; those that any of them offered are offered",
    "give the site an address or port of its own, or the same versions to all of them")
CHAIN_LENGTH = _code("chain-of-clients", _T, _MINOR,
    "a client's certificate may have any number of issuers above it; {source} took {depth}",
    "{target} has no limit for it; each of these issuers is vouched for by one that is trusted, all the same",
    "nothing, unless an issuer that is trusted lets others issue certificates that shall not be let in")
CIPHERS_DEFAULT = _code("cipher-suites-default", _TLS, _MINOR,
    "the list of cipher suites is not carried over; {target} chooses its own",
    "the suites of TLS 1.3 cannot be chosen, and those that {target} offers for 1.2 are all in current use",
    "compare them with your policy")
RESTART_LOST = _code("restart-not-carried", _T, _BREAKING,
    "a rewritten path is not looked up again in {target}: {reason}",
    "{source} begins the search for a route anew after a rewrite; {target} goes on where it is",
    "check the requests that this rule rewrites")
ERROR_PAGE_PARTLY = _code("error-page-partly", _T, _MINOR,
    "the error page for {statuses} is carried for errors that {target} makes itself",
    "{reason}",
    "check the page once by hand")
LIMITED_BODY = _code("body-limit-when-read", _T, _MINOR,
    "the limit on request content acts only when the content is read",
    "{target} cuts the content while reading; {source} refused by Content-Length before doing anything",
    "nothing, unless a route that never reads the content relied on 413")
CERTIFICATE_FILES = _code("certificate-files-stay", _TLS, _NOTE,
    "{target} must be able to read {file}",
    "it usually runs as a user of its own, and key files are often readable by root only",
    "give its user or group the right to read the certificate and the key")
CERTIFICATE_TO_ISSUE = _code("certificate-to-issue", _TLS, _BREAKING,
    "{target} issues no certificate by itself; put one for {name} into {chain}, and its key into {key}",
    "{source} had one issued, and renewed it",
    "have a client for your certificate authority write these files and reload {target} after each renewal")
FAILURES_UNCOUNTED = _code("failures-not-counted", _T, _MINOR,
    "origins that fail are not left alone: fail_duration is not written",
    "to {target} 2.6 a request over the limit on content is a failure of the origin, so that one client could take an origin out for everybody",
    "let it ask for their health (health_uri), or limit content elsewhere; policies other than taking turns go on to another origin only then")
TURNS_INSTEAD = _code("turns-instead", _T, _MINOR,
    "the members of a pool are chosen in turn instead of by {before}",
    "by {before} {target} chooses one that is away again, unless it counts failures, which it must not beside a limit on content",
    "nothing, unless requests differ much in how long they take")
CONTENT_BUFFERED = _code("content-buffered", _T, _MINOR,
    "the content of a request is read into memory before an origin is asked",
    "{target} can send only what it has kept to another origin, where one is away; {source} {does}",
    "see that its size is limited; where uploads are large, take buffer_requests and fail_duration out: uploads then fail while an origin is away")
POLICY_DIFFERS = _code("pool-policy-differs", _T, _MINOR,
    "the members of a pool are chosen {after} instead of {before}",
    "{reason}",
    "nothing, unless an application keeps state in one member")
CLIENTS_LOOSE = _code("clients-kept-otherwise", _T, _BREAKING,
    "clients stayed with their origin by {before}; now members are chosen {after}",
    "{reason}",
    "have the application keep what it knows of clients where all members find it, or see that they may change their origin")
NAMED_AS_FIRST = _code("named-as-the-first", _T, _MINOR,
    "all members of a pool get {member} in {field}",
    "each got its own address; {target} has no variable for the member that is asked",
    "nothing, unless the members tell hosts apart; then send them a name that all know")
NAMED_AS_ANOTHER = _code("named-as-another", _T, _BREAKING,
    "all members of a pool get {member} in {field}, though each has a name of its own",
    "{target} has no variable for the member that is asked, and an origin that is known by a name may answer to no other",
    "send them a name that all know, or ask one of them alone")
HEALTH_UNASKED = _code("health-not-asked", _T, _BREAKING,
    "members of a pool are not asked for {uri} any more, to see whether they are well",
    "{target} asks no origin by itself",
    "rely on fail_timeout, which leaves a member alone after a failed request, and watch the members from elsewhere")
PLACEHOLDER_OPEN = _code("placeholder-open", _T, _NOTE,
    "{placeholder} is left to deployment; it is written as {written}",
    "the source leaves its value open, too",
    "see that it is filled when the new configuration is deployed")
PLACEHOLDER_UNIT = _code("placeholder-unit", _T, _MINOR,
    "{placeholder} is left to deployment, with its unit; it is written as {written}",
    "{source} and {target} write units in their own ways (20m is 20,971,520 bytes in nginx, 20,000,000 in Caddy, and 20 in a condition of httpd), and Caddy takes no time without one",
    "fill it with a number of bytes, or with seconds and their s (30s), which all of them read alike")

# Behaviour (comparison)
OUTCOME_DIFFERS = _code("outcome-differs", _B, _BREAKING,
    "{what}: {before} becomes {after}",
    "decided by {before_at} before and by {after_at} after",
    "look at both lines; if the new answer is right for you, accept it")
OUTCOME_DIFFERS_SLIGHTLY = _code("outcome-differs-slightly", _B, _MINOR,
    "{what}: {before} becomes {after}",
    "decided by {before_at} before and by {after_at} after",
    "usually nothing")
COMPARISON_SAMPLED = _code("comparison-sampled", _B, _NOTE,
    "the comparison is sampled at {pattern}",
    "no example of this expression could be made: {reason}",
    "add requests of your own with --requests")

# Live
MODEL_DIFFERS = _code("model-differs", _L, _BREAKING,
    "{server} answered {answered} where the model foretold {foretold}",
    "this is a defect of Young Lantern",
    "trust the server, and report the request with both configurations")
SERVERS_DIFFER = _code("servers-differ", _L, _BREAKING,
    "{what}: {before} becomes {after}",
    "both servers were asked",
    "look at the lines that decided")
