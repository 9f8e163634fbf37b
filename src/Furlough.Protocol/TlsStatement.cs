using System.Buffers.Text;
using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;

namespace Furlough.Protocol;

/// <summary>
/// What the service says of its TLS keys, signed by its identity: those it shows now, and the one that it will show next.
/// Agents trust these keys and no certificate, so certificates can be renewed while an agent sleeps. A proxy before the
/// service shows keys that the service does not know: of those, agents trust what was issued for the service's name.
/// </summary>
/// <param name="Number">Grows with each change; who has read one accepts no older one.</param>
/// <param name="Keys">As <see cref="KeyOf"/> writes them.</param>
/// <param name="Proxy">Null where no proxy stands before the service.</param>
public sealed record TlsStatement(long Number, IReadOnlyList<string> Keys, ProxyTrust? Proxy = null)
{
    /// <summary>Where the service tells it, below its address; it needs no session and no secret.</summary>
    public const string Path = "api/v1/agent/tls-statement";

    /// <summary>A certificate's key: SHA-256 of its SubjectPublicKeyInfo, base64url (43 characters).</summary>
    public static string KeyOf(X509Certificate2 certificate) =>
        KeyOf(certificate.PublicKey.ExportSubjectPublicKeyInfo());

    /// <summary>The same of a SubjectPublicKeyInfo (DER).</summary>
    public static string KeyOf(ReadOnlySpan<byte> info) => Base64Url.EncodeToString(SHA256.HashData(info));

    /// <summary>
    /// Whether a connection may be trusted that shows this certificate.
    /// </summary>
    /// <param name="wrong">What the system's own rules find wrong with it, for the name that was called.</param>
    /// <param name="others">Certificates that came with it.</param>
    public bool Trusts(X509Certificate2 shown, SslPolicyErrors wrong, X509Certificate2Collection others) =>
        Keys.Contains(KeyOf(shown), StringComparer.Ordinal) || Proxy?.Trusts(shown, wrong, others) == true;

    /// <summary>Signs it.</summary>
    public string Sign(SigningKey key) =>
        Jws.Sign(key, MessageType.Tls, JsonSerializer.SerializeToUtf8Bytes(this, ProtocolJson.Default.TlsStatement));

    /// <summary>Reads one that a service signed.</summary>
    /// <exception cref="SignatureException">It is not signed by this key, or is not a statement.</exception>
    public static TlsStatement Read(string serviceKey, string signed) =>
        Jws.Read(serviceKey, MessageType.Tls, signed, ProtocolJson.Default.TlsStatement);
}

/// <summary>Whose certificates are trusted for a proxy, when they are for the name that was called.</summary>
/// <param name="Authorities">Certificates (DER, base64); empty for those that the machine trusts anyhow.</param>
public sealed record ProxyTrust(IReadOnlyList<string> Authorities)
{
    private const string ServerAuthentication = "1.3.6.1.5.5.7.3.1";

    /// <summary>Whether one of the authorities issued it.</summary>
    internal bool Trusts(X509Certificate2 shown, SslPolicyErrors wrong, X509Certificate2Collection others)
    {
        if (Authorities.Count == 0)
            return wrong == SslPolicyErrors.None;
        if ((wrong & ~SslPolicyErrors.RemoteCertificateChainErrors) != 0)
            return false;
        using var chain = new X509Chain();
        chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        chain.ChainPolicy.ApplicationPolicy.Add(new Oid(ServerAuthentication));
        chain.ChainPolicy.ExtraStore.AddRange(others);
        foreach (var authority in Authorities)
            chain.ChainPolicy.CustomTrustStore.Add(
                X509CertificateLoader.LoadCertificate(Convert.FromBase64String(authority))
            );
        return chain.Build(shown);
    }
}
