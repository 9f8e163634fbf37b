using Furlough.Model;
using Furlough.Platform.Surveys;

namespace Furlough.Platform.Windows;

/// <summary>
/// Asks the storage drivers how the disks below a lettered volume are attached. Devices are opened without any right to
/// their data.
/// </summary>
internal static unsafe class WindowsDisks
{
    private const uint DiskExtents = 0x560000,
        QueryProperty = 0x2D1400,
        HotplugInfo = 0x2D0C14;

    /// <summary>The properties that are asked for.</summary>
    private const uint Device = 0,
        SeekPenalty = 7;

    private const uint NoRights = 0;

    /// <summary>
    /// How the volume at a letter is attached, and what it is made of; unknown where the drivers say nothing.
    /// </summary>
    internal static (Attachment Attached, Medium Medium) Describe(string letter)
    {
        var volume = $"\\??\\{letter}";
        var disks = DiskAnswers.Disks(Ask(volume, DiskExtents, []));
        // A volume that names no disk may be one itself.
        return disks.Count == 0
            ? Disk(volume)
            : DisksTogether.Describe([.. disks.Select(d => Disk($"\\??\\PhysicalDrive{d}"))]);
    }

    private static (Attachment, Medium) Disk(string device) =>
        (
            DiskAnswers.Attached(Property(device, Device), Ask(device, HotplugInfo, [])),
            DiskAnswers.MediumOf(Property(device, SeekPenalty))
        );

    private static byte[] Property(string device, uint property)
    {
        const int idAndKindAndMore = 12;
        var query = new byte[idAndKindAndMore];
        BitConverter.TryWriteBytes(query, property);
        return Ask(device, QueryProperty, query);
    }

    /// <summary>A driver's answer; empty where it gives none.</summary>
    private static byte[] Ask(string device, uint control, byte[] input)
    {
        if (Native.TryOpen(0, device, NoRights, Native.ShareAll, Native.OpenExisting, 0, out var handle) != 0)
            return [];
        using (handle)
        {
            const int roomy = 4096;
            var answer = new byte[roomy];
            Native.Status status;
            uint code;
            fixed (byte* given = input)
            fixed (byte* taken = answer)
                code = Native.NtDeviceIoControlFile(
                    handle!.DangerousGetHandle(),
                    0,
                    0,
                    0,
                    &status,
                    control,
                    given,
                    (uint)input.Length,
                    taken,
                    roomy
                );
            return code is 0 or Native.BufferOverflow ? answer[..(int)Math.Min(status.Information, roomy)] : [];
        }
    }
}
