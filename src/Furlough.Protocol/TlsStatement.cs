using System.Buffers.Text;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;

namespace Furlough.Protocol;

/// <summary>
/// What the service says of its TLS keys, signed by its identity: those it shows now, and the one that it will show next.
/// Agents trust these keys and no certificate, so certificates can be renewed while an agent sleeps.
/// </summary>
/// <param name="Number">Grows with each change; who has read one accepts no older one.</param>
/// <param name="Keys">As <see cref="KeyOf"/> writes them.</param>
public sealed record TlsStatement(long Number, IReadOnlyList<string> Keys)
{
    /// <summary>Where the service tells it, below its address; it needs no session and no secret.</summary>
    public const string Path = "api/v1/agent/tls-statement";

    /// <summary>A certificate's key: SHA-256 of its SubjectPublicKeyInfo, base64url (43 characters).</summary>
    public static string KeyOf(X509Certificate2 certificate) =>
        KeyOf(certificate.PublicKey.ExportSubjectPublicKeyInfo());

    /// <summary>The same of a SubjectPublicKeyInfo (DER).</summary>
    public static string KeyOf(ReadOnlySpan<byte> info) => Base64Url.EncodeToString(SHA256.HashData(info));

    /// <summary>Signs it.</summary>
    public string Sign(SigningKey key) =>
        Jws.Sign(key, MessageType.Tls, JsonSerializer.SerializeToUtf8Bytes(this, ProtocolJson.Default.TlsStatement));

    /// <summary>Reads one that a service signed.</summary>
    /// <exception cref="SignatureException">It is not signed by this key, or is not a statement.</exception>
    public static TlsStatement Read(string serviceKey, string signed)
    {
        try
        {
            return JsonSerializer.Deserialize(
                Jws.Verify(serviceKey, MessageType.Tls, signed),
                ProtocolJson.Default.TlsStatement
            ) ?? throw new SignatureException("The statement is empty.");
        }
        catch (JsonException malformed)
        {
            throw new SignatureException(malformed.Message);
        }
    }
}
