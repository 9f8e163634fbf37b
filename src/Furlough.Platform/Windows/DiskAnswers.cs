using System.Buffers.Binary;
using Furlough.Model;

namespace Furlough.Platform.Windows;

/// <summary>
/// What a storage driver answers about a disk, read as its public description says (StorageDeviceProperty,
/// StorageDeviceSeekPenaltyProperty, IOCTL_STORAGE_GET_HOTPLUG_INFO and IOCTL_VOLUME_GET_VOLUME_DISK_EXTENTS). An
/// answer that is too short or says nothing is unknown, and nobody is notified that it is internal.
/// </summary>
internal static class DiskAnswers
{
    /// <summary>How a disk is attached.</summary>
    /// <param name="device">The answer about the device; empty where there is none.</param>
    /// <param name="hotplug">The answer about plugging; empty where there is none.</param>
    internal static Attachment Attached(ReadOnlySpan<byte> device, ReadOnlySpan<byte> hotplug)
    {
        const int removableMedium = 10,
            bus = 28,
            deviceCanBeUnplugged = 6;
        if (device.Length < bus + 4)
            return Attachment.Unknown;
        if (device[removableMedium] != 0)
            return Attachment.Removable;
        var attached = BinaryPrimitives.ReadInt32LittleEndian(device[bus..]) switch
        {
            // SCSI, ATAPI, ATA, SSA, RAID, SAS, SATA, virtual machine, NVMe, storage class memory, UFS
            1 or 2 or 3 or 5 or 8 or 10 or 11 or 14 or 17 or 18 or 19 => Attachment.Internal,
            4 or 7 => Attachment.External, // FireWire, USB
            6 or 9 => Attachment.Network, // Fibre Channel, iSCSI
            12 => Attachment.Removable, // SD; a chip on the board (MMC) says nothing of its slot
            _ => Attachment.Unknown, // images and pools of disks among them
        };
        // What hangs behind a port to the outside, as with Thunderbolt, has the bus of an internal disk.
        return
            attached == Attachment.Internal
            && hotplug.Length > deviceCanBeUnplugged
            && hotplug[deviceCanBeUnplugged] != 0
            ? Attachment.External
            : attached;
    }

    /// <summary>What a disk is made of.</summary>
    /// <param name="seeks">The answer about its seeking; empty where there is none.</param>
    internal static Medium MediumOf(ReadOnlySpan<byte> seeks)
    {
        const int penalty = 8;
        return seeks.Length <= penalty ? Medium.Unknown
            : seeks[penalty] != 0 ? Medium.Rotating
            : Medium.Solid;
    }

    /// <summary>The numbers of the disks on which a volume lies; none where the answer is cut short.</summary>
    internal static IReadOnlyList<uint> Disks(ReadOnlySpan<byte> extents)
    {
        const int first = 8,
            each = 24;
        if (
            extents.Length < first
            || BinaryPrimitives.ReadUInt32LittleEndian(extents) is var count
                && extents.Length < first + count * (long)each
        )
            return [];
        List<uint> disks = [];
        for (var i = 0; i < count; i++)
            disks.Add(BinaryPrimitives.ReadUInt32LittleEndian(extents[(first + i * each)..]));
        return [.. disks.Distinct()];
    }
}
