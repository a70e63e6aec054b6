"""The table of Tomcat's elements and attributes: server.xml, context files, web.xml, and rules of the RewriteValve.

Source:   Tomcat 10.1 documentation, "Configuration Reference" and "The rewrite Valve"; Jakarta Servlet 6.0, chapter 14; attributes confirmed on 10.1.60.
Rule:     a row's block is the element that something stands in; an attribute stands in its element. A Valve, a Filter that Tomcat brings, and a Listener go
          by the last part of their className. Of web.xml the children of web-app are rows, with all that stands in them.
Unknown:  an attribute that is not here is `directive-unknown`: Tomcat says so in its log, and goes on without it.
"""

from __future__ import annotations

from collections.abc import Iterable

from ...model import Disposition
from ..dialect import Row, at_least

OWN = "it concerns the server's own running; no answer depends on it"
APPLICATION = "it is for applications, which stay where they are; no answer of the front end depends on it"
_NOT_YET = "the model has no word for it yet: what it did will not happen in the target"


def _rows(within: str, names: str, topic: str = "", *, why: str = "", becomes: Disposition = Disposition.IMPLIED) -> Iterable[Row]:
    for name in names.split():
        yield Row(name, frozenset(within.split()), at_least(0), topic=topic, disposition=None if topic else becomes, why=why, shape=name)


def _lost(within: str, names: str, why: str = _NOT_YET) -> Iterable[Row]:
    return _rows(within, names, why=why, becomes=Disposition.UNSUPPORTED)


def _usual(within: str, **harmless: str) -> Iterable[Row]:
    """Attributes that say what is so anyway; with another value they are not carried."""
    for name, value in harmless.items():
        yield Row(name, frozenset({within}), at_least(0), disposition=Disposition.IMPLIED, why="it says what is so anyway", shape=name, harmless=value, else_why=_NOT_YET)


_CONTAINERS = "Engine Host Context"
WEB_XML = "web-app"
RULES = "rules"

ROWS: tuple[Row, ...] = (
    *_rows("file", "Server", "listeners"),
    *_rows("Server", "Service", "listeners"),
    *_rows("Server", "port shutdown address portOffset utilityThreads periodicEventDelay Listener GlobalNamingResources", why=OWN),
    *_rows("Service", "Connector Engine", "listeners"),
    *_rows("Service", "name Executor", why=OWN),
    *_rows("Connector", "port address protocol SSLEnabled scheme secure proxyName proxyPort redirectPort", "listeners"),
    *_rows("Connector", "SSLHostConfig UpgradeProtocol defaultSSLHostConfigName sniHostConfig", "tls"),
    *_rows("Connector", "encodedSolidusHandling", "listeners"),
    *_rows("Connector", "maxHeaderCount maxHttpHeaderSize maxHttpRequestHeaderSize", "heads"),
    *_rows("Connector", "compression compressionMinSize compressibleMimeType", "compression"),
    *_rows("Connector", "server", "fields"),
    *_usual("Connector", allowTrace="false", allowBackslash="false", encodedReverseSolidusHandling="reject", URIEncoding="utf-?8", rejectIllegalHeader="true", rejectSuspiciousURIs="false", useIPVHosts="false", xpoweredBy="false",
            allowHostHeaderMismatch="false"),
    *_lost("Connector", "relaxedPathChars relaxedQueryChars noCompressionUserAgents restrictedUserAgents"),
    *_rows("Connector", """acceptCount acceptorThreadCount acceptorThreadPriority asyncTimeout bindOnInit connectionLinger connectionTimeout connectionUploadTimeout
        disableUploadTimeout discardFacades enableLookups enforceEncodingInGetWriter executor executorTerminationTimeoutMillis keepAliveTimeout maxConnections maxCookieCount
        maxExtensionSize maxHttpResponseHeaderSize maxKeepAliveRequests maxParameterCount maxPostSize maxSavePostSize
        maxSwallowSize maxThreads maxTrailerSize minSpareThreads noCompressionStrongETag parseBodyMethods pollerThreadPriority processorCache selectorTimeout serverRemoveAppProvidedValues
        socketBuffer tcpNoDelay threadPriority threadsMaxIdleTime throwOnFailure useBodyEncodingForURI useKeepAliveResponseHeader useSendfile useVirtualThreads usesVirtualThreads
        useAsyncIO allowedTrailerHeaders continueResponseTiming portOffset sslImplementationName maxPartCount maxPartHeaderSize utilityThreads bufferPool directBuffer""", why=OWN),
    *_rows("Connector", "secret secretRequired allowedRequestAttributesPattern packetSize tomcatAuthentication tomcatAuthorization ajpFlush", why="it is for AJP"),
    *_rows("UpgradeProtocol", "className", "tls"),
    *_rows("UpgradeProtocol", "maxConcurrentStreams maxConcurrentStreamExecution overheadCountFactor readTimeout writeTimeout streamReadTimeout streamWriteTimeout keepAliveTimeout initialWindowSize compression", why=OWN),
    *_rows("SSLHostConfig", "Certificate hostName protocols sslProtocol ciphers honorCipherOrder certificateVerification certificateVerificationDepth caCertificateFile", "tls"),
    *_lost("SSLHostConfig", "truststoreFile truststorePassword truststoreType truststoreProvider truststoreAlgorithm caCertificatePath certificateRevocationListFile certificateRevocationListPath revocationEnabled OpenSSLConf",
           "who is trusted is said by a key store: export its certificates to a PEM file, and name that as caCertificateFile before the move"),
    *_rows("SSLHostConfig", "sessionCacheSize sessionTimeout insecureRenegotiation disableSessionTickets disableCompression keyManagerAlgorithm trustManagerClassName groups cipherSuites allowUnsafeLegacyRenegotiation", why=OWN),
    *_rows("Certificate", "certificateFile certificateKeyFile certificateChainFile certificateKeystoreFile", "tls"),
    *_rows("Certificate", "type certificateKeystorePassword certificateKeystoreType certificateKeystoreProvider certificateKeyAlias certificateKeyPassword certificateKeyPasswordFile certificateKeystorePasswordFile", why="it says how the certificate's file is read"),
    *_rows("Engine", "defaultHost Host", "sites"),
    *_rows("Engine", "name jvmRoute backgroundProcessorDelay startStopThreads Cluster Listener", why=OWN),
    *_rows("Host", "name appBase Alias Context deployOnStartup deployXML", "sites"),
    *_rows("Host", """autoDeploy unpackWARs createDirs deployIgnore xmlBase workDir copyXML startStopThreads undeployOldVersions legacyAppBase
        failCtxIfServletStartFails backgroundProcessorDelay Listener Cluster className""", why=OWN),
    *_lost("Host", "errorReportValveClass"),
    *_rows("Context", "path docBase mapperContextRootRedirectEnabled mapperDirectoryRedirectEnabled", "sites"),
    *_rows("Context", """reloadable privileged override swallowOutput antiResourceLocking unpackWAR cachingAllowed cacheMaxSize cacheTTL cacheObjectMaxSize displayName
        backgroundProcessorDelay startupTimeout parallelAnnotationScanning logEffectiveWebXml clearReferencesHttpClientKeepAliveThread clearReferencesStopThreads clearReferencesStopTimerThreads
        renewThreadsWhenStoppingContext unloadDelay jndiExceptionOnFailedWrite webappVersion workDir addWebinfClassesResources WatchedResource Loader Manager Listener createUploadTargets
        tldValidation xmlValidation xmlNamespaceAware xmlBlockExternal useNaming wrapperClass failCtxIfServletStartFails containerSciFilter skipMemoryLeakChecksOnJvmShutdown debug""", why=OWN),
    *_rows("Context", """Parameter Environment Resource ResourceLink ResourceEnvRef Transaction JarScanner CookieProcessor SessionCookieProcessor crossContext cookies sessionCookieName sessionCookiePath sessionCookieDomain
        sessionCookiePathUsesTrailingSlash useHttpOnly usePartitioned allowCasualMultipartParsing alwaysAccessSession preserveContextSession requestCharacterEncoding
        responseCharacterEncoding validateClientProvidedNewSessionId ignoreAnnotations fireRequestListenersOnForwards dispatchersUseEncodedPaths dispatcherWrapsSameObject
        parameterNamesIncludingValues sendRedirectBody suspendWrappedResponseAfterForward resourceOnlyServlets ejb""", why=APPLICATION),
    *_usual("Context", allowLinking="false", useRelativeRedirects="true", preemptiveAuthentication="false", denyUncoveredHttpMethods="false", allowMultipleLeadingForwardSlashInPath="false", useBloomFilterForArchives="true|false"),
    *_lost("Context", "Resources"),
    *_rows(_CONTAINERS, "Realm CredentialHandler", why="it says who users are, and is looked at where somebody asks for them"),
    # Valves, and what stands in each.
    *_rows(_CONTAINERS, "AccessLogValve ExtendedAccessLogValve", "logs"),
    *_rows("AccessLogValve ExtendedAccessLogValve", "directory prefix suffix pattern fileDateFormat rotatable", "logs"),
    *_rows("AccessLogValve ExtendedAccessLogValve", "buffered checkExists encoding locale maxDays maxLogMessageBufferSize renameOnRotate requestAttributesEnabled resolveHosts enabled ipv6Canonical conditionIf conditionUnless condition", why="it says how the log is kept"),
    *_rows(_CONTAINERS, "RewriteValve", "rewrites"),
    *_rows(_CONTAINERS, "RemoteAddrValve RemoteCIDRValve", "access"),
    *_rows("RemoteAddrValve RemoteCIDRValve", "allow deny denyStatus", "access"),
    *_rows("RemoteAddrValve RemoteCIDRValve", "invalidAuthenticationWhenDeny addConnectorPort usePeerAddress asyncSupported", "access"),
    *_rows(_CONTAINERS, "RemoteIpValve", "client"),
    *_rows("RemoteIpValve", "remoteIpHeader internalProxies trustedProxies", "client"),
    *_rows("RemoteIpValve", "protocolHeader protocolHeaderHttpsValue hostHeader portHeader proxiesHeader httpServerPort httpsServerPort requestAttributesEnabled changeLocalName changeLocalPort", "client"),
    *_rows(_CONTAINERS, "ErrorReportValve", "errors"),
    *_rows("ErrorReportValve", "showReport showServerInfo asyncSupported", why="it concerns the words of the server's own pages for errors"),
    *_rows(_CONTAINERS, "StuckThreadDetectionValve CrawlerSessionManagerValve PersistentValve JDBCAccessLogValve ParameterLimitValve", why=OWN),
    *_lost(_CONTAINERS, """SSLValve SingleSignOn SemaphoreValve LoadBalancerDrainingValve HealthCheckValve RemoteHostValve JsonErrorReportValve ProxyErrorReportValve FilterValve
        BasicAuthenticator DigestAuthenticator FormAuthenticator SSLAuthenticator SpnegoAuthenticator NonLoginAuthenticator RateLimitValve"""),
    # web.xml
    *_rows(WEB_XML, "welcome-file-list", "files"),
    *_rows(WEB_XML, "mime-mapping", "types"),
    *_rows(WEB_XML, "error-page", "errors"),
    *_rows(WEB_XML, "security-constraint login-config", "access"),
    *_rows(WEB_XML, "servlet servlet-mapping jsp-config", "applications"),
    *_rows(WEB_XML, "filter filter-mapping", "fields"),
    *_rows(WEB_XML, """display-name description icon distributable context-param listener session-config security-role env-entry ejb-ref ejb-local-ref service-ref resource-ref
        resource-env-ref message-destination-ref message-destination locale-encoding-mapping-list module-name default-context-path absolute-ordering ordering
        persistence-context-ref persistence-unit-ref post-construct pre-destroy data-source jms-connection-factory jms-destination mail-session connection-factory
        administered-object request-character-encoding response-character-encoding""", why=APPLICATION),
    *_lost(WEB_XML, "deny-uncovered-http-methods"),
    # rules
    *_rows(RULES, "RewriteRule RewriteCond RewriteMap", "rewrites"),
)
# Elements that say nothing but by what stands in them.
HOLDERS = frozenset({"Server", "Service", "Engine", "SSLHostConfig", "Certificate", "UpgradeProtocol"})
_BY_KEY = {(row.name, within): row for row in ROWS for within in row.within}
NAMES = frozenset(row.name for row in ROWS)
# Elements whose children belong to whatever the element is for.
WHOLE = frozenset({"GlobalNamingResources", "Realm", "Cluster", "Manager", "Loader", "Resources", "JarScanner", "Resource", "Parameter", "Environment", "ResourceLink", "Listener", "Executor",
                   "CookieProcessor", "CredentialHandler", "Transaction", "OpenSSLConf", "WatchedResource"})


def row_for(name: str, within: str) -> Row | None:
    """The row of an element or attribute that stands in another."""
    if within in ("AccessLogValve", "ExtendedAccessLogValve") or within.endswith(("Valve", "Authenticator")) or within == "SingleSignOn":
        if name == "className":
            return _BY_KEY["className", "Host"]
    if within == "ErrorReportValve" and name.startswith("errorCode."):
        return Row(name, frozenset({within}), at_least(0), topic="errors", shape=name)
    return _BY_KEY.get((name, within))
