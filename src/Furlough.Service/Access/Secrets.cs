using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;

namespace Furlough.Service.Access;

/// <summary>Random secrets and what is kept of them.</summary>
public static class Secrets
{
    /// <summary>A new secret with 160 random bits.</summary>
    public static string Make(string prefix) => prefix + Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(20));

    /// <summary>SHA-256; enough for secrets with that many random bits.</summary>
    public static string Hash(string secret) =>
        Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(secret)));
}
