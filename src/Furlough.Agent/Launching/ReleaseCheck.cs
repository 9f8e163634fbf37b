using System.Formats.Tar;
using System.IO.Compression;
using System.Runtime.InteropServices;
using System.Security.Cryptography;
using Org.BouncyCastle.Crypto.Parameters;
using Org.BouncyCastle.Crypto.Signers;
using Org.BouncyCastle.Security;

namespace Furlough.Agent.Launching;

/// <summary>An upgrade is refused; nothing was changed.</summary>
internal sealed class UpgradeRefusedException(string why) : Exception(why);

/// <summary>An agent's program in a release.</summary>
/// <param name="File">The archive.</param>
/// <param name="Digest">SHA-256 in hexadecimal digits.</param>
internal sealed record ReleasePackage(Version Version, string File, string Digest);

/// <summary>
/// Looks whether files are an agent's program of a release: the list of the release names them, and the release key has
/// signed the list. Whoever brings them is trusted with nothing.
/// </summary>
internal static class ReleaseCheck
{
    /// <summary>The key's file beside the program that was installed.</summary>
    internal const string KeyFile = "release-key.pub.pem";

    internal const string ListFile = "SHA256SUMS",
        SignatureFile = "SHA256SUMS.sig";
    private const int LongestList = 1 << 20;

    private static string Ending =>
        OperatingSystem.IsWindows() ? "-win-x64.zip"
        : RuntimeInformation.ProcessArchitecture == Architecture.Arm64 ? "-linux-arm64.tar.gz"
        : "-linux-x64.tar.gz";

    /// <summary>The newest program for this machine that a folder's signed list names.</summary>
    /// <param name="key">File (PEM) with the release key that came with the installation.</param>
    /// <exception cref="UpgradeRefusedException">The list is not signed by that key, or names none.</exception>
    internal static ReleasePackage Find(string folder, string key)
    {
        if (!File.Exists(key))
            throw new UpgradeRefusedException("this agent was installed without a release key; install a package");
        var list = Read(Path.Combine(folder, ListFile));
        if (!IsSigned(list, Read(Path.Combine(folder, SignatureFile)), File.ReadAllText(key)))
            throw new UpgradeRefusedException("the release key of this installation has not signed its list");
        const string prefix = "furlough-agent-";
        var ending = Ending;
        return System
            .Text.Encoding.UTF8.GetString(list)
            .Split('\n')
            .Select(line => line.Split(' ', 2, StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
            .Where(parts => parts.Length == 2)
            .Select(parts => (Digest: parts[0], File: parts[1].TrimStart('*')))
            .Where(f =>
                f.File.StartsWith(prefix, StringComparison.Ordinal) && f.File.EndsWith(ending, StringComparison.Ordinal)
            )
            .Select(f =>
                Version.TryParse(f.File[prefix.Length..^ending.Length], out var version)
                    ? new ReleasePackage(ProgramVersions.ThreeParts(version), f.File, f.Digest)
                    : null
            )
            .OfType<ReleasePackage>()
            .MaxBy(p => p.Version)
            ?? throw new UpgradeRefusedException(
                $"its list names no agent for this system (furlough-agent-VERSION{ending})"
            );
    }

    /// <summary>Unpacks a package, if it is what the list says.</summary>
    /// <exception cref="UpgradeRefusedException">It is missing, another, or has no program in it.</exception>
    internal static void Unpack(string folder, ReleasePackage package, string target)
    {
        var file = Path.Combine(folder, package.File);
        if (!File.Exists(file))
            throw new UpgradeRefusedException($"{package.File} is missing");
        using var content = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.None);
        if (Convert.ToHexStringLower(SHA256.HashData(content)) != package.Digest)
            throw new UpgradeRefusedException($"{package.File} is not what the signed list says");
        content.Position = 0;
        Directory.CreateDirectory(target);
        try
        {
            if (OperatingSystem.IsWindows())
                ZipFile.ExtractToDirectory(content, target);
            else
                using (var unpacked = new GZipStream(content, CompressionMode.Decompress))
                    TarFile.ExtractToDirectory(unpacked, target, overwriteFiles: false);
        }
        catch (InvalidDataException damaged)
        {
            throw new UpgradeRefusedException($"{package.File} cannot be unpacked: {damaged.Message}");
        }
        if (!File.Exists(ProgramVersions.ProgramIn(target)))
            throw new UpgradeRefusedException($"{package.File} has no agent in it");
    }

    private static bool IsSigned(byte[] list, byte[] signature, string key)
    {
        try
        {
            var der = PemEncoding.Find(key) is var found ? Convert.FromBase64String(key[found.Base64Data]) : [];
            if (PublicKeyFactory.CreateKey(der) is not Ed25519PublicKeyParameters ed25519)
                return false;
            var verifier = new Ed25519Signer();
            verifier.Init(false, ed25519);
            verifier.BlockUpdate(list, 0, list.Length);
            return verifier.VerifySignature(signature);
        }
        catch (Exception malformed) when (malformed is ArgumentException or FormatException or IOException)
        {
            return false;
        }
    }

    private static byte[] Read(string file)
    {
        if (!File.Exists(file) || new FileInfo(file).Length > LongestList)
            throw new UpgradeRefusedException($"{Path.GetFileName(file)} is missing or too long");
        return File.ReadAllBytes(file);
    }
}
