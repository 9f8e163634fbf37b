using Furlough.Model;

namespace Furlough.Platform.Surveys;

/// <summary>What holds for a volume that lies on several disks.</summary>
internal static class DisksTogether
{
    /// <summary>
    /// A volume is attached as the loosest of its disks, and as slow as the slowest; without any disk both are unknown.
    /// </summary>
    internal static (Attachment Attached, Medium Medium) Describe(
        IReadOnlyCollection<(Attachment Attached, Medium Medium)> disks
    )
    {
        if (disks.Count == 0)
            return (Attachment.Unknown, Medium.Unknown);
        var media = disks.Select(d => d.Medium).Distinct().ToList();
        var medium =
            media is [var one] ? one
            : media.Contains(Medium.Rotating) ? Medium.Rotating
            : Medium.Unknown;
        return (disks.Select(d => d.Attached).MaxBy(Looseness), medium);
    }

    private static int Looseness(Attachment attached) =>
        attached switch
        {
            Attachment.Internal => 0,
            Attachment.Unknown => 1,
            Attachment.Network => 2,
            Attachment.External => 3,
            _ => 4,
        };
}
