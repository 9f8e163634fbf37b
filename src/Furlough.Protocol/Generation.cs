using System.Text.Json;

namespace Furlough.Protocol;

/// <summary>
/// Which of several services with the same identity is the one to follow: a service that was restored from a backup has a
/// higher generation than the one from which the backup was made. The service signs it. Agents keep the highest that they
/// have heard of and follow no lower one; they show it to every service, so that an older one learns that it was replaced.
/// </summary>
/// <param name="Number">0 for a service that was never restored.</param>
public sealed record Generation(long Number)
{
    /// <summary>Signs it.</summary>
    public string Sign(SigningKey key) =>
        Jws.Sign(
            key,
            MessageType.Generation,
            JsonSerializer.SerializeToUtf8Bytes(this, ProtocolJson.Default.Generation)
        );

    /// <summary>Reads one that a service signed; null is the first generation, for what is older than generations.</summary>
    /// <exception cref="SignatureException">It is not signed by this key, or is no generation.</exception>
    public static Generation Read(string serviceKey, string? signed) =>
        signed is null
            ? new Generation(0)
            : Jws.Read(serviceKey, MessageType.Generation, signed, ProtocolJson.Default.Generation);
}
