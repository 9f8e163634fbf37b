using System.Runtime.InteropServices;
using System.Text;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// How much accounts may store, asked of the kernel by quotactl(2). Where it enforces nothing there is no answer.
/// </summary>
internal static partial class Quotas
{
    /// <summary>Q_GETQUOTA for users.</summary>
    private const int GetOfUser = unchecked((int)0x80000700);

    private const long BlockBytes = 1024;

    /// <summary>The quota of a user on the volume of a mount, or null.</summary>
    /// <param name="key">Key of the volume.</param>
    internal static AccountQuota? Of(Mount mount, string key, uint user)
    {
        if (!mount.Source.StartsWith('/'))
            return null;
        return Get(GetOfUser, [.. Encoding.UTF8.GetBytes(mount.Source), 0], (int)user, out var found) != 0
            ? null
            : Quota(key, found);
    }

    /// <summary>The lower limit that is set; null where none is.</summary>
    internal static AccountQuota? Quota(string key, in DiskQuota found)
    {
        var limits = new[] { found.SoftBlocks, found.HardBlocks }.Where(b => b > 0).ToList();
        return limits.Count == 0
            ? null
            : new AccountQuota(
                key,
                (long)Math.Min(limits.Min(), (ulong)(long.MaxValue / BlockBytes)) * BlockBytes,
                (long)Math.Min(found.UsedBytes, long.MaxValue)
            );
    }

    /// <summary>struct if_dqblk.</summary>
    [StructLayout(LayoutKind.Sequential)]
    internal struct DiskQuota
    {
        internal ulong HardBlocks,
            SoftBlocks,
            UsedBytes,
            HardFiles,
            SoftFiles,
            Files,
            BlockGrace,
            FileGrace;
        internal uint Valid;
    }

    [LibraryImport("libc", EntryPoint = "quotactl", SetLastError = true)]
    private static partial int Get(int command, byte[] device, int id, out DiskQuota found);
}
