"""Every directive of the stock server: its module, where it may stand, and what becomes of it.

Source:   names and places as the server itself lists them (`apache2 -L`, 2.4.71, all modules of the package loaded); the manual,
          "Directive Quick-Reference".
Order:    of no consequence. A name that a table further down settles or reads is settled or read; any other is `unsupported`
          with the reason of its module.
Unknown:  a name that is not here is the finding `directive-unknown`, with the likely one.
"""

from __future__ import annotations

from collections.abc import Iterator

from ...model import Disposition
from ..dialect import Row, at_least

SERVER, FOLDER, HTACCESS = "server", "folder", "htaccess"
_WITHIN = {"s": SERVER, "d": FOLDER, "h": HTACCESS}

# module, places (s: main server and <VirtualHost>, d: <Directory>, <Location>, <Files>, <If>, h: .htaccess), names.
_STOCK = """
    access_compat dh: order allow deny Satisfy
    actions sdh: Action
    actions sd: Script
    alias sd: Alias ScriptAlias
    alias sdh: Redirect RedirectMatch RedirectTemp RedirectPermanent RedirectRelative AliasPreservePath
    alias s: AliasMatch ScriptAliasMatch
    allowmethods d: AllowMethods
    auth_basic dh: AuthBasicProvider AuthBasicAuthoritative AuthBasicFake AuthBasicUseDigestAlgorithm
    auth_digest dh: AuthDigestProvider AuthDigestQop AuthDigestNonceLifetime AuthDigestNcCheck AuthDigestAlgorithm
    auth_digest dh: AuthDigestDomain AuthDigestNonceFormat
    auth_digest s: AuthDigestShmemSize
    auth_form dh: AuthFormProvider AuthFormUsername AuthFormPassword AuthFormLocation AuthFormMethod AuthFormMimetype
    auth_form dh: AuthFormBody AuthFormLoginRequiredLocation AuthFormLoginSuccessLocation AuthFormLogoutLocation
    auth_form dh: AuthFormSitePassphrase AuthFormAuthoritative AuthFormFakeBasicAuth AuthFormDisableNoStore
    auth_form d: AuthFormSize
    authn_anon dh: Anonymous Anonymous_MustGiveEmail Anonymous_NoUserId Anonymous_VerifyEmail Anonymous_LogEmail
    authn_core dh: AuthType AuthName
    authn_core s: <AuthnProviderAlias
    authn_dbd d: AuthDBDUserPWQuery AuthDBDUserRealmQuery
    authn_dbm dh: AuthDBMUserFile AuthDBMType
    authn_file dh: AuthUserFile
    authn_socache s: AuthnCacheSOCache AuthnCacheEnable
    authn_socache dh: AuthnCacheProvideFor AuthnCacheTimeout
    authn_socache d: AuthnCacheContext
    authnz_fcgi s: AuthnzFcgiDefineProvider
    authnz_fcgi sdh: AuthnzFcgiCheckAuthnProvider
    authnz_ldap dh: AuthLDAPURL AuthLDAPBindDN AuthLDAPBindPassword AuthLDAPBindAuthoritative AuthLDAPRemoteUserIsDN
    authnz_ldap dh: AuthLDAPRemoteUserAttribute AuthLDAPCompareDNOnServer AuthLDAPSubGroupAttribute
    authnz_ldap dh: AuthLDAPSubGroupClass AuthLDAPMaxSubGroupDepth AuthLDAPGroupAttribute AuthLDAPGroupAttributeIsDN
    authnz_ldap dh: AuthLDAPDereferenceAliases AuthLDAPAuthorizePrefix AuthLDAPInitialBindAsUser
    authnz_ldap dh: AuthLDAPInitialBindPattern AuthLDAPSearchAsUser AuthLDAPCompareAsUser
    authnz_ldap s: AuthLDAPCharsetConfig
    authz_core s: <AuthzProviderAlias
    authz_core dh: Require <RequireAll <RequireAny <RequireNone AuthMerging AuthzSendForbiddenOnFailure
    authz_dbd d: AuthzDBDLoginToReferer AuthzDBDQuery AuthzDBDRedirectQuery
    authz_dbm dh: AuthDBMGroupFile AuthzDBMType
    authz_groupfile dh: AuthGroupFile
    autoindex sdh: AddIcon AddIconByType AddIconByEncoding AddAlt AddAltByType AddAltByEncoding IndexOptions
    autoindex sdh: IndexOrderDefault IndexIgnore IndexIgnoreReset AddDescription HeaderName ReadmeName FancyIndexing
    autoindex sdh: DefaultIcon IndexStyleSheet IndexHeadInsert
    brotli s: BrotliFilterNote BrotliCompressionQuality BrotliCompressionWindow BrotliCompressionMaxInputBlock
    brotli s: BrotliAlterETag
    buffer d: BufferSize
    cache sd: CacheEnable CacheDisable CacheMaxExpire CacheMinExpire CacheDefaultExpire CacheIgnoreNoLastMod
    cache sd: CacheStoreExpired CacheStorePrivate CacheStoreNoStore CacheLastModifiedFactor CacheHeader
    cache sd: CacheDetailHeader CacheStaleOnError
    cache s: CacheQuickHandler CacheIgnoreCacheControl CacheIgnoreHeaders CacheIgnoreQueryString
    cache s: CacheIgnoreURLSessionIdentifiers CacheLock CacheLockPath CacheLockMaxAge CacheKeyBaseURL
    cache_disk s: CacheRoot CacheDirLevels CacheDirLength
    cache_disk sd: CacheMinFileSize CacheMaxFileSize CacheReadSize CacheReadTime
    cache_socache s: CacheSocache
    cache_socache sd: CacheSocacheMaxTime CacheSocacheMinTime CacheSocacheMaxSize CacheSocacheReadSize
    cache_socache sd: CacheSocacheReadTime
    case_filter s: CaseFilter
    case_filter_in s: CaseFilterIn
    cern_meta sdh: MetaFiles MetaDir MetaSuffix
    cgi s: ScriptLog ScriptLogLength ScriptLogBuffer
    cgi sd: CGIScriptTimeout
    cgid s: ScriptLog ScriptLogLength ScriptLogBuffer ScriptSock
    cgid sd: CGIDScriptTimeout
    charset_lite sdh: CharsetSourceEnc CharsetDefault CharsetOptions
    core s: <Directory <Location <VirtualHost <DirectoryMatch <LocationMatch AccessFileName DocumentRoot
    core s: FlushMaxThreshold FlushMaxPipelined Protocol AcceptFilter Port ServerAdmin ServerName ServerRoot
    core s: DefaultRuntimeDir ErrorLog ErrorLogFormat ServerAlias ServerPath Timeout NameVirtualHost ServerTokens
    core s: LimitRequestLine LimitRequestFieldsize LimitRequestFields Mutex RegexDefaultOptions LimitInternalRecursion
    core s: StrictHostCheck AllowEncodedSlashes ScoreBoardFile ExtendedStatus SeeRequestTail PidFile
    core s: MaxRequestsPerChild MaxConnectionsPerChild CoreDumpDirectory MaxMemFree ThreadStackSize TraceEnable
    core s: MergeTrailers Protocols ProtocolsHonorOrder HttpProtocolOptions RegisterHttpMethod MergeSlashes
    core s: KeepAliveTimeout MaxKeepAliveRequests KeepAlive User Group ChrootDir Suexec
    core sdh: <Files <IfModule <IfDefine <IfFile <IfDirective <IfSection <FilesMatch AddDefaultCharset AcceptPathInfo
    core sdh: Error <If <ElseIf <Else ErrorDocument Options DefaultType FileETag EnableMMAP EnableSendfile
    core sdh: ServerSignature ContentDigest LimitRequestBody LimitXMLRequestBody RLimitCPU RLimitMEM RLimitNPROC
    core sdh: CGIVar QualifyRedirectURL ForceType SetHandler SetOutputFilter SetInputFilter
    core dh: <Limit <LimitExcept CGIPassAuth
    core sd: Define UnDefine ReadBufferSize HostnameLookups UseCanonicalName UseCanonicalPhysicalPort Include
    core sd: IncludeOptional LogLevel MaxRanges MaxRangeOverlaps MaxRangeReversals
    core d: AllowOverride AllowOverrideList
    dav d: DAV DAVBasePath
    dav sd: DAVMinTimeout DAVDepthInfinity DAVLockDiscovery
    dav_fs s: DAVLockDB
    dav_lock d: DAVGenericLockDB
    dbd s: DBDriver DBDParams DBDPersist DBDPrepareSQL DBDInitSQL DBDMin DBDKeep DBDMax DBDExptime
    deflate s: DeflateFilterNote DeflateWindowSize DeflateBufferSize DeflateMemLevel DeflateCompressionLevel
    deflate s: DeflateAlterEtag
    deflate sdh: DeflateInflateLimitRequestBody DeflateInflateRatioLimit DeflateInflateRatioBurst
    dialup d: ModemStandard
    dir sdh: FallbackResource DirectoryIndex DirectorySlash DirectoryCheckHandler DirectoryIndexRedirect
    dumpio s: DumpIOInput DumpIOOutput
    echo s: ProtocolEcho
    env sdh: PassEnv SetEnv UnsetEnv
    expires sdh: ExpiresActive ExpiresByType ExpiresDefault
    ext_filter d: ExtFilterOptions
    ext_filter s: ExtFilterDefine
    file_cache s: cachefile mmapfile
    filter sdh: FilterDeclare FilterProvider FilterChain AddOutputFilterByType FilterProtocol
    filter sd: FilterTrace
    headers sdh: Header RequestHeader
    heartbeat s: HeartbeatAddress
    heartmonitor s: HeartbeatListen HeartbeatStorage HeartbeatMaxServers
    http2 s: H2MaxSessionStreams H2WindowSize H2MinWorkers H2MaxWorkers H2MaxWorkerIdleSeconds H2StreamMaxMemSize
    http2 s: H2SerializeHeaders H2ModernTLSOnly H2Direct H2SessionExtraFiles H2TLSWarmUpSize H2TLSCoolDownSecs
    http2 s: H2PushPriority H2PushDiarySize H2EarlyHints H2Padding H2OutputBuffering H2StreamTimeout H2MaxDataFrameLen
    http2 s: H2MaxHeaderBlockLen H2MaxStreamErrors H2WebSockets
    http2 sdh: H2Upgrade H2Push H2CopyFiles H2PushResource H2EarlyHint H2ProxyRequests
    ident sd: IdentityCheck IdentityCheckTimeout
    imagemap sdh: ImapMenu ImapDefault ImapBase
    include sdh: XBitHack SSIErrorMsg SSITimeFormat SSIUndefinedEcho
    include s: SSIStartTag SSIEndTag
    include dh: SSILegacyExprParser SSILastModified SSIEtag
    info s: AddModuleInfo
    lbmethod_heartbeat s: HeartbeatStorage
    ldap s: LDAPSharedCacheSize LDAPSharedCacheFile LDAPCacheEntries LDAPCacheTTL LDAPOpCacheEntries LDAPOpCacheTTL
    ldap s: LDAPTrustedGlobalCert LDAPTrustedMode LDAPVerifyServerCert LDAPConnectionTimeout LDAPLibraryDebug
    ldap s: LDAPTimeout LDAPConnectionPoolTTL LDAPRetries LDAPRetryDelay
    ldap dh: LDAPTrustedClientCert LDAPReferrals LDAPReferralHopLimit
    log_config s: CustomLog GlobalLog TransferLog LogFormat BufferedLogs
    log_debug sd: LogMessage
    log_forensic s: ForensicLog
    logio sdh: LogIOTrackTTFB
    lua sdh: LuaRoot LuaPackagePath LuaPackageCPath LuaHookPreTranslateName <LuaHookPreTranslateName
    lua sdh: LuaHookTranslateName <LuaHookTranslateName LuaHookFixups <LuaHookFixups LuaHookMapToStorage
    lua sdh: <LuaHookMapToStorage LuaHookCheckUserID <LuaHookCheckUserID LuaHookTypeChecker <LuaHookTypeChecker
    lua sdh: LuaHookAccessChecker <LuaHookAccessChecker LuaHookAuthChecker <LuaHookAuthChecker LuaHookInsertFilter
    lua sdh: LuaHookLog LuaScope LuaInherit LuaCodeCache LuaQuickHandler <LuaQuickHandler LuaMapHandler
    lua sdh: LuaOutputFilter LuaInputFilter
    lua s: LuaAuthzProvider
    macro sdh: <Macro Use UndefMacro MacroIgnoreEmptyArgs MacroIgnoreBadNesting
    md s: MDCertificateAuthority MDCertificateAgreement MDCAChallenges MDCertificateProtocol MDContactEmail
    md s: MDDriveMode MDRenewMode MDomain <MDomainSet <MDomain MDMember MDMembers MDMustStaple MDPortMap MDPrivateKeys
    md s: MDHttpProxy MDStoreDir MDRenewWindow MDNotifyCmd MDBaseServer MDChallengeDns01 MDChallengeDns01Version
    md s: MDCertificateFile MDCertificateKeyFile MDServerStatus MDCertificateStatus MDWarnWindow MDMessageCmd
    md s: MDStapling MDStapleOthers MDStaplingKeepResponse MDStaplingRenewWindow MDCertificateCheck MDActivationDelay
    md s: MDCACertificateFile MDHttpProxyCACertificateFile MDExternalAccountBinding MDRetryDelay MDRetryFailover
    md s: MDStoreLocks MDMatchNames MDInitialDelay MDCheckInterval MDProfile MDProfileMandatory MDRenewViaARI
    md sdh: MDRequireHttps
    mime sdh: AddCharset AddEncoding AddHandler AddInputFilter AddLanguage AddOutputFilter AddType DefaultLanguage
    mime sdh: MultiviewsMatch RemoveCharset RemoveEncoding RemoveHandler RemoveInputFilter RemoveLanguage
    mime sdh: RemoveOutputFilter RemoveType
    mime s: TypesConfig
    mime d: ModMimeUsePathInfo
    mime_magic s: MimeMagicFile
    mpm s: ListenBacklog ListenCoresBucketsRatio Listen SendBufferSize ReceiveBufferSize ListenTCPDeferAccept
    mpm s: StartServers ServerLimit MinSpareThreads MaxSpareThreads MaxClients MaxRequestWorkers ThreadsPerChild
    mpm s: ThreadLimit AsyncRequestWorkerFactor GracefulShutdownTimeout
    negotiation s: CacheNegotiatedDocs
    negotiation sdh: LanguagePriority ForceLanguagePriority
    proxy s: <Proxy <ProxyMatch ProxyRequests ProxyRemote ProxyRemoteMatch ProxyBlock ProxyReceiveBufferSize
    proxy s: ProxyIOBufferSize ProxyMaxForwards NoProxy ProxyDomain ProxyVia ProxyTimeout ProxyBadHeader
    proxy s: BalancerGrowth BalancerPersist BalancerInherit ProxyPassInherit ProxyStatus ProxySourceAddress
    proxy sd: ProxyPassInterpolateEnv ProxyPass ProxyPassMatch ProxyPassReverse ProxyPassReverseCookiePath
    proxy sd: ProxyPassReverseCookieDomain ProxyErrorOverride ProxyPreserveHost BalancerMember ProxySet
    proxy sd: ProxyAddHeaders Proxy100Continue
    proxy_connect s: AllowCONNECT
    proxy_express sdh: ProxyExpressEnable ProxyExpressDBMFile ProxyExpressDBMType
    proxy_fcgi sdh: ProxyFCGIBackendType ProxyFCGISetEnvIf
    proxy_ftp sd: ProxyFtpListOnWildcard ProxyFtpEscapeWildcards ProxyFtpDirCharset
    proxy_hcheck sdh: ProxyHCTemplate ProxyHCExpr
    proxy_hcheck s: ProxyHCTPsize
    proxy_html sd: ProxyHTMLEvents ProxyHTMLLinks ProxyHTMLURLMap ProxyHTMLDoctype ProxyHTMLFixups ProxyHTMLMeta
    proxy_html sd: ProxyHTMLInterp ProxyHTMLExtended ProxyHTMLStripComments ProxyHTMLBufSize ProxyHTMLCharsetOut
    proxy_html sd: ProxyHTMLEnable
    proxy_scgi sd: ProxySCGISendfile ProxySCGIInternalRedirect
    proxy_wstunnel sd: ProxyWebsocketFallbackToProxyHttp
    reflector sdh: ReflectorHeader
    remoteip s: RemoteIPHeader RemoteIPProxiesHeader RemoteIPTrustedProxy RemoteIPInternalProxy
    remoteip s: RemoteIPTrustedProxyList RemoteIPInternalProxyList RemoteIPProxyProtocol
    remoteip s: RemoteIPProxyProtocolExceptions
    reqtimeout s: RequestReadTimeout
    request d: KeptBodySize
    rewrite sdh: RewriteEngine RewriteOptions RewriteBase RewriteCond RewriteRule
    rewrite s: RewriteMap
    sed d: OutputSed InputSed
    session sdh: Session SessionMaxAge SessionHeader SessionEnv SessionInclude SessionExclude
    session sdh: SessionExpiryUpdateInterval
    session_cookie sdh: SessionCookieName SessionCookieName2 SessionCookieRemove
    session_crypto sdh: SessionCryptoPassphrase SessionCryptoCipher
    session_crypto sd: SessionCryptoPassphraseFile
    session_crypto s: SessionCryptoDriver
    session_dbd sdh: SessionDBDSelectLabel SessionDBDInsertLabel SessionDBDUpdateLabel SessionDBDDeleteLabel
    session_dbd sdh: SessionDBDPerUser SessionDBDCookieRemove SessionDBDCookieName SessionDBDCookieName2
    setenvif sdh: SetEnvIf SetEnvIfNoCase SetEnvIfExpr BrowserMatch BrowserMatchNoCase
    so s: LoadModule LoadFile
    socache_memcache s: MemcacheConnTTL
    socache_redis s: RedisConnPoolTTL RedisTimeout
    speling sdh: CheckSpelling CheckCaseOnly CheckBasenameMatch
    ssl s: SSLPassPhraseDialog SSLSessionCache SSLCryptoDevice SSLRandomSeed SSLVHostSNIPolicy SSLEngine SSLFIPS
    ssl s: SSLCertificateFile SSLCertificateKeyFile SSLCertificateChainFile SSLSessionTicketKeyFile SSLCADNRequestPath
    ssl s: SSLCADNRequestFile SSLCARevocationPath SSLCARevocationFile SSLCARevocationCheck SSLSessionCacheTimeout
    ssl s: SSLProtocol SSLHonorCipherOrder SSLCompression SSLSessionTickets SSLInsecureRenegotiation
    ssl s: SSLStrictSNIVHostCheck SSLSRPVerifierFile SSLSRPUnknownUserSeed SSLProxyEngine SSLProxyProtocol
    ssl s: SSLProxyCipherSuite SSLProxyVerify SSLProxyVerifyDepth SSLProxyCACertificateFile SSLProxyCACertificatePath
    ssl s: SSLProxyCARevocationPath SSLProxyCARevocationFile SSLProxyCARevocationCheck SSLProxyMachineCertificateFile
    ssl s: SSLProxyMachineCertificatePath SSLProxyMachineCertificateChainFile SSLProxyCheckPeerExpire
    ssl s: SSLProxyCheckPeerCN SSLProxyCheckPeerName SSLOCSPEnable SSLOCSPDefaultResponder SSLOCSPOverrideResponder
    ssl s: SSLOCSPResponseTimeSkew SSLOCSPResponseMaxAge SSLOCSPResponderTimeout SSLOCSPUseRequestNonce
    ssl s: SSLOCSPProxyURL SSLOCSPNoVerify SSLOCSPResponderCertificateFile SSLStaplingCache SSLUseStapling
    ssl s: SSLStaplingResponseTimeSkew SSLStaplingResponderTimeout SSLStaplingResponseMaxAge
    ssl s: SSLStaplingStandardCacheTimeout SSLStaplingReturnResponderErrors SSLStaplingFakeTryLater
    ssl s: SSLStaplingErrorCacheTimeout SSLStaplingForceURL SSLOpenSSLConfCmd
    ssl sdh: SSLCipherSuite SSLCACertificatePath SSLCACertificateFile SSLVerifyClient SSLVerifyDepth SSLUserName
    ssl sdh: SSLOptions SSLLog SSLLogLevel
    ssl dh: SSLRequireSSL SSLRequire SSLRenegBufferSize
    substitute sdh: Substitute SubstituteMaxLineLength SubstituteInheritBefore
    suexec s: SuexecUserGroup
    userdir s: UserDir
    usertrack sdh: CookieExpires CookieDomain CookieStyle CookieTracking CookieName CookieSameSite CookieSecure
    usertrack sdh: CookieHttpOnly
    version sdh: <IfVersion
    vhost_alias s: VirtualScriptAlias VirtualDocumentRoot VirtualScriptAliasIP VirtualDocumentRootIP
    watchdog s: WatchdogInterval
    xml2enc sdh: xml2EncDefault xml2StartParse
    xml2enc s: xml2EncAlias
"""

# Topic of the reader -> names it claims.
_READ = {
    "structure": "<VirtualHost <Directory <DirectoryMatch <Location <LocationMatch <Files <FilesMatch <If <ElseIf <Else <Proxy",
    "load": "Include IncludeOptional Define UnDefine LoadModule ServerRoot <IfModule <IfDefine <IfVersion <IfFile <Macro Use",
    "sites": "Listen ServerName ServerAlias DocumentRoot AllowEncodedSlashes MergeSlashes UseCanonicalName UseCanonicalPhysicalPort AccessFileName AllowOverride",
    "origin tls": "SSLProxyVerify SSLProxyCACertificateFile SSLProxyCheckPeerName SSLProxyCheckPeerCN SSLProxyCheckPeerExpire",
    "tls": "SSLEngine SSLCertificateFile SSLCertificateKeyFile SSLCertificateChainFile SSLProtocol SSLCipherSuite SSLVerifyClient SSLVerifyDepth SSLCACertificateFile SSLCARevocationFile SSLCARevocationCheck Protocols",
    "access": "Require <RequireAll <RequireAny <RequireNone order allow deny Satisfy AuthType AuthName AuthUserFile AuthGroupFile AuthBasicProvider AllowMethods <Limit <LimitExcept SSLRequireSSL",
    "environment": "SetEnvIf SetEnvIfNoCase SetEnvIfExpr BrowserMatch BrowserMatchNoCase",
    "mappings": "Redirect RedirectMatch RedirectPermanent RedirectTemp Alias AliasMatch ScriptAlias ScriptAliasMatch",
    "forwards": "ProxyPass ProxyPassMatch ProxyPassReverse ProxyPassReverseCookiePath ProxyPassReverseCookieDomain ProxyPreserveHost ProxyAddHeaders ProxyTimeout ProxyErrorOverride BalancerMember ProxySet",
    "gateways": "SetEnv UnsetEnv CGIPassAuth",
    "rewrites": "RewriteEngine RewriteOptions RewriteCond RewriteRule RewriteBase RewriteMap",
    "fields": "Header RequestHeader ExpiresActive ExpiresDefault ExpiresByType",
    "files": "DirectoryIndex DirectorySlash FallbackResource Options ErrorDocument DefaultType SetHandler AddHandler AcceptPathInfo",
    "types": "AddType ForceType RemoveType AddCharset RemoveCharset AddDefaultCharset TypesConfig AddEncoding AddLanguage",
    "compression": "AddOutputFilterByType SetOutputFilter",
    "content": "Substitute",
    "limits": "LimitRequestBody",
    "heads": "LimitRequestLine LimitRequestFieldsize LimitRequestFields TraceEnable",
    "client": "RemoteIPHeader RemoteIPInternalProxy RemoteIPTrustedProxy RemoteIPInternalProxyList RemoteIPTrustedProxyList",
    "caches": "CacheEnable CacheDisable CacheRoot CacheQuickHandler CacheDefaultExpire CacheMaxExpire CacheMinExpire CacheLastModifiedFactor CacheIgnoreNoLastMod CacheIgnoreHeaders CacheIgnoreQueryString CacheIgnoreCacheControl CacheStoreExpired CacheStoreNoStore CacheStorePrivate CacheLock CacheDirLevels CacheDirLength CacheStaleOnError",
    "logs": "CustomLog LogFormat TransferLog",
}

_PROCESS = "the target sizes and places its own processes; no answer depends on it"
_SETTLED = {
    (Disposition.IMPLIED, _PROCESS): """
        User Group PidFile Mutex ScoreBoardFile CoreDumpDirectory DefaultRuntimeDir StartServers ServerLimit MinSpareThreads
        MaxSpareThreads MaxClients MaxRequestWorkers ThreadsPerChild ThreadLimit AsyncRequestWorkerFactor MaxRequestsPerChild
        MaxConnectionsPerChild MaxMemFree ThreadStackSize GracefulShutdownTimeout ListenBacklog ListenCoresBucketsRatio
        SendBufferSize ReceiveBufferSize EnableMMAP EnableSendfile AcceptFilter LoadFile ExtendedStatus SeeRequestTail
        H2CopyFiles H2MaxDataFrameLen H2MaxStreamErrors H2MaxWorkerIdleSeconds H2OutputBuffering H2Padding H2SerializeHeaders
        H2SessionExtraFiles H2StreamMaxMemSize H2StreamTimeout H2TLSCoolDownSecs H2TLSWarmUpSize H2MaxHeaderBlockLen BufferedLogs ProxyStatus
        FlushMaxThreshold FlushMaxPipelined ReadBufferSize RLimitCPU RLimitMEM RLimitNPROC ChrootDir Suexec WatchdogInterval""",
    (Disposition.IMPLIED, "how long connections are kept open and waited for is the target's own affair"): """
        Timeout KeepAlive KeepAliveTimeout MaxKeepAliveRequests RequestReadTimeout""",
    (Disposition.IMPLIED, "it changes no answer that is compared"): """
        ServerAdmin ServerTokens ServerSignature HostnameLookups ContentDigest LogIOTrackTTFB IndexOptions
        AddIcon AddIconByType AddIconByEncoding AddAlt AddAltByType AddAltByEncoding IndexOrderDefault IndexIgnore IndexIgnoreReset
        AddDescription HeaderName ReadmeName FancyIndexing DefaultIcon IndexStyleSheet IndexHeadInsert SSLRandomSeed
        SSLPassPhraseDialog SSLSessionCache SSLSessionCacheTimeout SSLCryptoDevice SSLSessionTickets SSLCompression
        SSLHonorCipherOrder SSLInsecureRenegotiation DeflateCompressionLevel DeflateMemLevel DeflateWindowSize DeflateBufferSize
        DeflateFilterNote BrotliCompressionQuality BrotliCompressionWindow BrotliFilterNote H2WindowSize H2MinWorkers H2MaxWorkers
        H2MaxSessionStreams ProtocolsHonorOrder LanguagePriority ForceLanguagePriority
        MimeMagicFile SSLOptions NameVirtualHost FileETag
        ProxyIOBufferSize ProxyReceiveBufferSize ProxyVia SSLProxyEngine ProxyRequests""",
    (Disposition.MANUAL, "stapled certificate states belong to the handshake and decide no request: Caddy staples by itself, nginx with ssl_stapling"): """
        SSLUseStapling SSLStaplingCache SSLStaplingResponderTimeout SSLStaplingReturnResponderErrors SSLStaplingErrorCacheTimeout
        SSLStaplingStandardCacheTimeout SSLStaplingFakeTryLater SSLStaplingForceURL SSLStaplingResponseTimeSkew SSLStaplingResponseMaxAge""",
    (Disposition.MANUAL, "the target writes its own error log; set its place and level there if you collect it"): """
        ErrorLog LogLevel ErrorLogFormat""",
}

# Names that are settled with these words only: the pattern of the words, and what others do.
_HARMLESS: dict[str, tuple[str, str]] = {
    "proxyvia": ("off", "requests to origins, and their answers, get the field Via, or lose it"),
    "proxyrequests": ("off", "clients may ask for any host through this server; the target is no such proxy"),
    "contentdigest": ("off", "answers get the field Content-MD5"),
    "mimemagicfile": ("(?!)", "files whose names say nothing are given a type by their content"),
    "ssloptions": (r"(?:[+-]?(?:StdEnvVars|ExportCertData|OptRenegotiate|LegacyDNStringFormat)\s*)+|-.*", "it makes a user of a client's certificate, or keeps other rules from letting in"),
    # The names that Debian and Red Hat come with: such files are not for readers, but nobody keeps a secret in them.
    "indexignore": (r"(?:(?:\.\?\?\*|\*~|\*#|HEADER\*|README\*|RCS|CVS|\*,v|\*,t|\.\.?|\.ht\w*\*?)\s*)+", "names that it keeps out of lists of folders are shown there"),
}

_REASONS = {
    "rewrite": "its part of the rewriting is not carried",
    "proxy": "its part of proxying is not carried",
    "auth": "who may enter is not carried",
    "cache": "its part of keeping answers is not carried",
}
_REASON = "the module {module} is not carried"


def _rows() -> Iterator[Row]:
    topics = {name.lower(): topic for topic, names in _READ.items() for name in names.split()}
    settled = {name.lower(): key for key, names in _SETTLED.items() for name in names.split()}
    for line in _STOCK.strip().splitlines():
        head, names = line.split(":", 1)
        module, places = head.split()
        within = frozenset(_WITHIN[letter] for letter in places)
        for name in names.split():
            if name.lower() in topics:
                yield Row(name, within, at_least(0), topic=topics[name.lower()], shape=name)
                continue
            reason = next((text for part, text in _REASONS.items() if part in module), _REASON.format(module=module))
            disposition, why = settled.get(name.lower(), (Disposition.UNSUPPORTED, reason))
            harmless, else_why = _HARMLESS.get(name.lower(), ("", ""))
            yield Row(name, within, at_least(0), disposition=disposition, why=why, shape=name, harmless=harmless, else_why=else_why)


ROWS: tuple[Row, ...] = tuple(_rows())
NAMES: frozenset[str] = frozenset(row.name for row in ROWS)
_BY_NAME: dict[str, Row] = {}
for _row in ROWS:
    _BY_NAME.setdefault(_row.name.lower(), _row)
# The module that brings each name; without it the server does not start, or skips the section that asks for the module.
MODULES: dict[str, str] = {
    name.lower(): line.split()[0] for line in _STOCK.strip().splitlines() for name in line.split(":", 1)[1].split()
}

# Protections that are not read: what they guard is not answered at all.
GUARDS = ("sslverifyclient", "sslrequire", "authmerging", "<if", "<elseif", "<else")


def row_for(name: str) -> Row | None:
    """The row of a directive, whatever its letters' case; None for an unknown name."""
    return _BY_NAME.get(name.lower())
