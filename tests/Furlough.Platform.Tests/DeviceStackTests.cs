using Furlough.Model;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Trees of devices as the kernel describes them, for what cannot be made everywhere: encryption, logical volumes,
/// arrays, docks.
/// </summary>
public sealed class DeviceStackTests : IDisposable
{
    private const string Board = "devices/pci0000:00/0000:00:17.0/ata1/host0/target0:0:0/0:0:0:0/block/sda",
        Stick = "devices/pci0000:00/0000:00:14.0/usb2/2-1/2-1:1.0/host6/target6:0:0/6:0:0:0/block/sdb";
    private const string Dock =
            "devices/pci0000:00/0000:00:1d.0/0000:05:00.0/0000:06:01.0/0000:07:00.0/nvme/nvme1/nvme1n1",
        Inner = "devices/pci0000:00/0000:00:1c.4/0000:03:00.0/nvme/nvme0/nvme0n1";

    private readonly string _sys = Directory.CreateTempSubdirectory("furlough-sys-").FullName;

    public DeviceStackTests()
    {
        Disk(Board, "8:0", rotational: true, "sda1", "8:1", "sda2", "8:2");
        Disk(Stick, "8:16", rotational: false, "sdb1", "8:17");
        Disk(Inner, "259:0", rotational: false, "nvme0n1p1", "259:1");
        Disk(Dock, "259:4", rotational: false, "nvme1n1p1", "259:5");
        // The port to the outside says so of what hangs behind it.
        File.WriteAllText($"{_sys}/devices/pci0000:00/0000:00:1d.0/0000:05:00.0/removable", "removable\n");
        File.WriteAllText($"{_sys}/{Path.GetDirectoryName(Inner)}/../../removable", "fixed\n");
    }

    public void Dispose() => Directory.Delete(_sys, recursive: true);

    [Theory]
    [InlineData("8:1", Attachment.Internal, Medium.Rotating)]
    [InlineData("8:16", Attachment.External, Medium.Solid)]
    [InlineData("8:17", Attachment.External, Medium.Solid)]
    [InlineData("259:1", Attachment.Internal, Medium.Solid)]
    [InlineData("259:5", Attachment.External, Medium.Solid)]
    [InlineData("0:45", Attachment.Unknown, Medium.Unknown)]
    public void Partitions_and_disks_are_attached_as_their_bus_says(
        string device,
        Attachment attached,
        Medium medium
    ) => Of(device).ShouldBe((attached, medium, false));

    [Fact]
    public void A_slot_or_a_card_reader_is_removable()
    {
        File.WriteAllText($"{_sys}/{Stick}/removable", "1\n");
        Of("8:17").Attached.ShouldBe(Attachment.Removable);
        Disk("devices/platform/sdhci/mmc_host/mmc0/mmc0:aaaa/block/mmcblk0", "179:0", false, "mmcblk0p1", "179:1");
        Directory.CreateDirectory($"{_sys}/devices/platform/sdhci/mmc_host/mmc0/mmc0:aaaa/block/mmcblk0/device");
        Of("179:1").Attached.ShouldBe(Attachment.Internal, "soldered to the board");
        File.WriteAllText($"{_sys}/devices/platform/sdhci/mmc_host/mmc0/mmc0:aaaa/block/mmcblk0/device/type", "SD\n");
        Of("179:1").Attached.ShouldBe(Attachment.Removable);
    }

    [Fact]
    public void Encryption_logical_volumes_and_arrays_are_seen_through_to_the_loosest_of_their_disks()
    {
        Stacked("dm-0", "253:0", "CRYPT-LUKS2-5f-luks", $"{Stick}/sdb1");
        Of("253:0").ShouldBe((Attachment.External, Medium.Solid, true));
        Stacked("dm-1", "253:1", "CRYPT-LUKS2-6f-luks", $"{Board}/sda2");
        Stacked("dm-2", "253:2", "LVM-abc", "devices/virtual/block/dm-1");
        Of("253:2").ShouldBe((Attachment.Internal, Medium.Rotating, true));
        // An array over one disk inside and one outside goes when the outer one does, and is encrypted when both are.
        Stacked("md0", "9:0", null, "devices/virtual/block/dm-1", $"{Stick}/sdb1");
        Of("9:0").ShouldBe((Attachment.External, Medium.Rotating, false));
        Stacked("md1", "9:1", null, "devices/virtual/block/dm-1", "devices/virtual/block/dm-0");
        Of("9:1").ShouldBe((Attachment.External, Medium.Rotating, true));
        Encryption("9:1").ShouldBe(["dm-1-opened", "dm-0-opened"], ignoreOrder: true);
        Encryption("253:2").ShouldBe(["dm-1-opened"]);
        Encryption("8:17").ShouldBeEmpty();
    }

    [Fact]
    public void A_file_system_over_several_devices_is_looked_up_by_its_own_list()
    {
        foreach (
            var (name, device) in (ReadOnlySpan<(string, string)>)[("sda1", $"{Board}/sda1"), ("sdb1", $"{Stick}/sdb1")]
        )
        {
            Directory.CreateDirectory($"{_sys}/fs/btrfs/0a-1b/devices");
            Directory.CreateSymbolicLink($"{_sys}/fs/btrfs/0a-1b/devices/{name}", $"{_sys}/{device}");
        }
        Of("0:52", "btrfs", "/dev/sda1").Attached.ShouldBe(Attachment.External);
        Of("0:53", "btrfs", "/dev/sda2").Attached.ShouldBe(Attachment.Unknown);
    }

    [Fact]
    public void Disks_over_the_network_and_images_are_where_their_bytes_are()
    {
        Disk("devices/platform/host9/session1/target9:0:0/9:0:0:1/block/sdc", "8:32", true, "sdc1", "8:33");
        Of("8:33").Attached.ShouldBe(Attachment.Network);
        Of("0:60", "nfs4", "heron:/homes").Attached.ShouldBe(Attachment.Network);
        Stacked("loop0", "7:0", null);
        Directory.CreateDirectory($"{_sys}/devices/virtual/block/loop0/loop");
        File.WriteAllText($"{_sys}/devices/virtual/block/loop0/loop/backing_file", "/media/stick/disk.img\n");
        Of("7:0").Attached.ShouldBe(Attachment.External);
        File.WriteAllText($"{_sys}/devices/virtual/block/loop0/loop/backing_file", "/srv/disk.img\n");
        Of("7:0").Attached.ShouldBe(Attachment.Internal);
        Of("0:61", "tmpfs", "tmpfs").ShouldBe((Attachment.Internal, Medium.Memory, false));
    }

    [Fact]
    public void A_circle_of_devices_is_no_end()
    {
        Stacked("dm-8", "253:8", null, "devices/virtual/block/dm-9");
        Stacked("dm-9", "253:9", null, "devices/virtual/block/dm-8");
        Of("253:8").ShouldBe((Attachment.Unknown, Medium.Unknown, false));
    }

    private (Attachment Attached, Medium Medium, bool Encrypted) Of(
        string device,
        string fileSystem = "ext4",
        string source = ""
    )
    {
        Mount[] mounts =
        [
            new(1, "259:1", "/", "/", "ext4", "/dev/nvme0n1p1", true),
            new(2, "8:17", "/", "/media/stick", "ext4", "/dev/sdb1", true),
        ];
        var (stack, mount) = (
            new DeviceStack(_sys, () => mounts),
            new Mount(9, device, "/", "/data", fileSystem, source, true)
        );
        var (attached, medium) = stack.Describe(mount);
        return (attached, medium, stack.IsEncrypted(mount));
    }

    private IEnumerable<string> Encryption(string device) =>
        new DeviceStack(_sys, () => []).Encryption(new Mount(9, device, "/", "/data", "ext4", "", true));

    private void Disk(string path, string number, bool rotational, params ReadOnlySpan<string> partitions)
    {
        Directory.CreateDirectory($"{_sys}/{path}/queue");
        File.WriteAllText($"{_sys}/{path}/queue/rotational", rotational ? "1\n" : "0\n");
        File.WriteAllText($"{_sys}/{path}/removable", "0\n");
        Number(number, path);
        for (var i = 0; i < partitions.Length; i += 2)
        {
            Directory.CreateDirectory($"{_sys}/{path}/{partitions[i]}");
            File.WriteAllText($"{_sys}/{path}/{partitions[i]}/partition", "1\n");
            Number(partitions[i + 1], $"{path}/{partitions[i]}");
        }
    }

    private void Stacked(string name, string number, string? uuid, params IReadOnlyList<string> below)
    {
        var path = $"devices/virtual/block/{name}";
        Directory.CreateDirectory($"{_sys}/{path}/slaves");
        if (uuid is not null)
        {
            Directory.CreateDirectory($"{_sys}/{path}/dm");
            File.WriteAllText($"{_sys}/{path}/dm/uuid", uuid + "\n");
            File.WriteAllText($"{_sys}/{path}/dm/name", $"{name}-opened\n");
        }
        foreach (var device in below)
            Directory.CreateSymbolicLink($"{_sys}/{path}/slaves/{Path.GetFileName(device)}", $"{_sys}/{device}");
        Number(number, path);
    }

    private void Number(string number, string path)
    {
        Directory.CreateDirectory($"{_sys}/dev/block");
        Directory.CreateSymbolicLink($"{_sys}/dev/block/{number}", $"{_sys}/{path}");
    }
}
