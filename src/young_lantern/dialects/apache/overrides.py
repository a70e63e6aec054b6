"""Which directives a `.htaccess` file may hold, by the word of AllowOverride that permits them.

Source:   as the server itself lists them (`apache2 -L`, 2.4.71, the modules of the package loaded; tests hold them together).
Unknown:  a directive of no class may not stand in such a file at all: the server answers 500 for the folder.
"""

from __future__ import annotations

# Word of AllowOverride -> directives. ANY: permitted as soon as anything is.
ANY = "any"
_CLASSES = {
    ANY: """
        <Files <IfModule <IfDefine <IfFile <IfDirective <IfSection <FilesMatch Error <If <ElseIf <Else ServerSignature LimitRequestBody
        LimitXMLRequestBody RLimitCPU RLimitMEM RLimitNPROC LogIOTrackTTFB <IfVersion FancyIndexing DeflateInflateLimitRequestBody
        DeflateInflateRatioLimit DeflateInflateRatioBurst SSIErrorMsg SSITimeFormat SSIUndefinedEcho <Macro Use UndefMacro MacroIgnoreEmptyArgs MacroIgnoreBadNesting SSLLog SSLLogLevel xml2EncDefault
        xml2StartParse""",
    "authconfig": """
        <Limit <LimitExcept CGIPassAuth Satisfy AuthBasicProvider AuthBasicAuthoritative AuthBasicFake AuthBasicUseDigestAlgorithm
        AuthDigestProvider AuthDigestQop AuthDigestNonceLifetime AuthDigestNonceFormat AuthDigestNcCheck AuthDigestAlgorithm AuthDigestDomain AuthFormProvider
        AuthFormUsername AuthFormPassword AuthFormLocation AuthFormMethod AuthFormMimetype AuthFormBody AuthFormLoginRequiredLocation
        AuthFormLoginSuccessLocation AuthFormLogoutLocation AuthFormSitePassphrase AuthFormAuthoritative AuthFormFakeBasicAuth
        AuthFormDisableNoStore Anonymous Anonymous_MustGiveEmail Anonymous_NoUserId Anonymous_VerifyEmail Anonymous_LogEmail AuthType AuthName
        AuthDBMUserFile AuthDBMType AuthUserFile AuthnCacheProvideFor AuthnCacheTimeout Require <RequireAll <RequireAny <RequireNone AuthMerging
        AuthzSendForbiddenOnFailure AuthDBMGroupFile AuthzDBMType AuthGroupFile H2Upgrade H2Push Session SessionMaxAge SessionHeader SessionEnv
        SessionInclude SessionExclude SessionExpiryUpdateInterval SessionCookieName SessionCookieName2 SessionCookieRemove
        SessionCryptoPassphrase SessionCryptoCipher SSLCipherSuite SSLCACertificatePath SSLCACertificateFile SSLVerifyClient SSLVerifyDepth
        SSLUserName SSLRequireSSL SSLRequire SSLRenegBufferSize H2PushResource H2EarlyHint""",
    "fileinfo": """
        AddDefaultCharset AcceptPathInfo ErrorDocument DefaultType FileETag EnableMMAP EnableSendfile CGIVar QualifyRedirectURL ForceType
        SetHandler SetOutputFilter SetInputFilter Action Redirect RedirectMatch RedirectTemp RedirectPermanent RedirectRelative
        AliasPreservePath AuthnzFcgiCheckAuthnProvider CharsetSourceEnc CharsetDefault CharsetOptions PassEnv SetEnv UnsetEnv
        AddOutputFilterByType Header RequestHeader H2CopyFiles H2ProxyRequests AddCharset AddEncoding AddHandler AddInputFilter AddLanguage
        AddOutputFilter AddType DefaultLanguage MultiviewsMatch RemoveCharset RemoveEncoding RemoveHandler RemoveInputFilter RemoveLanguage
        RemoveOutputFilter RemoveType LanguagePriority ForceLanguagePriority ProxyExpressEnable ProxyExpressDBMFile ProxyExpressDBMType
        ProxyFCGIBackendType ProxyFCGISetEnvIf ProxyHCTemplate ProxyHCExpr RewriteEngine RewriteOptions RewriteBase RewriteCond RewriteRule
        SetEnvIf SetEnvIfNoCase SetEnvIfExpr BrowserMatch BrowserMatchNoCase Substitute SubstituteMaxLineLength SubstituteInheritBefore
        CookieExpires CookieDomain CookieStyle CookieTracking CookieName CookieSameSite CookieSecure CookieHttpOnly H2PushResource
        H2EarlyHint""",
    "indexes": """
        AddIcon AddIconByType AddIconByEncoding AddAlt AddAltByType AddAltByEncoding IndexOptions IndexOrderDefault IndexIgnore
        IndexIgnoreReset AddDescription HeaderName ReadmeName DefaultIcon IndexStyleSheet IndexHeadInsert MetaFiles MetaDir MetaSuffix
        FallbackResource DirectoryIndex DirectorySlash DirectoryCheckHandler DirectoryIndexRedirect ExpiresActive ExpiresByType ExpiresDefault
        ImapMenu ImapDefault ImapBase""",
    "limit": "<Limit <LimitExcept order allow deny SSILegacyExprParser SSILastModified SSIEtag",
    "options": """
        Options ContentDigest FilterDeclare FilterProvider FilterChain FilterProtocol XBitHack ReflectorHeader CheckSpelling CheckCaseOnly
        CheckBasenameMatch SSLOptions""",
}
WORDS = frozenset({*_CLASSES, "all"}) - {ANY}
CLASSES: dict[str, frozenset[str]] = {
    name: frozenset(word for word, names in _CLASSES.items() if name in names.lower().split())
    for names in _CLASSES.values() for name in names.lower().split()
}


def permits(name: str, words: frozenset[str], listed: frozenset[str] = frozenset()) -> bool:
    """Whether a directive may stand in a `.htaccess` file. words: those of AllowOverride in force; listed: AllowOverrideList's directives."""
    classes = CLASSES.get(name.lower())
    if classes is None:
        return False
    return "all" in words or bool(classes & words) or name.lower() in listed or ANY in classes and bool(words or listed)
