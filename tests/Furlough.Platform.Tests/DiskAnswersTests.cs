using System.Buffers.Binary;
using Furlough.Model;
using Furlough.Platform.Windows;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Answers of storage drivers, written after their public description: no driver of that system runs here.
/// </summary>
public sealed class DiskAnswersTests
{
    private static readonly byte[] Stays = Hotplug(canBeUnplugged: false),
        CanBeUnplugged = Hotplug(canBeUnplugged: true);

    [Theory]
    [InlineData(11, Attachment.Internal)] // SATA
    [InlineData(17, Attachment.Internal)] // NVMe
    [InlineData(10, Attachment.Internal)] // SAS
    [InlineData(8, Attachment.Internal)] // RAID
    [InlineData(7, Attachment.External)] // USB
    [InlineData(4, Attachment.External)] // FireWire
    [InlineData(9, Attachment.Network)] // iSCSI
    [InlineData(6, Attachment.Network)] // Fibre Channel
    [InlineData(12, Attachment.Removable)] // SD
    [InlineData(15, Attachment.Unknown)] // an image
    [InlineData(16, Attachment.Unknown)] // a pool of disks
    [InlineData(0, Attachment.Unknown)]
    [InlineData(99, Attachment.Unknown)]
    public void A_disk_is_attached_as_its_bus_says(int bus, Attachment attached) =>
        DiskAnswers.Attached(Device(bus), Stays).ShouldBe(attached);

    [Fact]
    public void A_disk_behind_a_port_to_the_outside_is_external_whatever_its_bus() =>
        DiskAnswers.Attached(Device(17), CanBeUnplugged).ShouldBe(Attachment.External);

    [Fact]
    public void A_medium_that_can_be_taken_out_is_removable_whatever_its_bus() =>
        DiskAnswers.Attached(Device(7, removable: true), CanBeUnplugged).ShouldBe(Attachment.Removable);

    [Fact]
    public void A_driver_that_says_nothing_of_plugging_is_believed_about_its_bus() =>
        DiskAnswers.Attached(Device(11), []).ShouldBe(Attachment.Internal);

    [Theory]
    [InlineData(0)]
    [InlineData(8)]
    [InlineData(31)]
    public void An_answer_cut_short_is_unknown(int length) =>
        DiskAnswers.Attached(Device(11).AsSpan(0, length), Stays).ShouldBe(Attachment.Unknown);

    [Fact]
    public void A_disk_that_seeks_rotates()
    {
        DiskAnswers.MediumOf([12, 0, 0, 0, 12, 0, 0, 0, 1, 0, 0, 0]).ShouldBe(Medium.Rotating);
        DiskAnswers.MediumOf([12, 0, 0, 0, 12, 0, 0, 0, 0, 0, 0, 0]).ShouldBe(Medium.Solid);
        DiskAnswers.MediumOf([12, 0, 0, 0, 12, 0, 0, 0]).ShouldBe(Medium.Unknown);
    }

    [Fact]
    public void A_volume_names_every_disk_once_and_an_answer_that_promises_more_names_none()
    {
        DiskAnswers.Disks(Extents(3, 3, 5)).ShouldBe([3u, 5u]);
        DiskAnswers.Disks(Extents(3, 3, 5).AsSpan(0, 60)).ShouldBeEmpty();
        DiskAnswers.Disks([]).ShouldBeEmpty();
        DiskAnswers.Disks([0xFF, 0xFF, 0xFF, 0xFF, 0, 0, 0, 0]).ShouldBeEmpty();
    }

    private static byte[] Device(int bus, bool removable = false)
    {
        var answer = new byte[40];
        BinaryPrimitives.WriteInt32LittleEndian(answer, answer.Length);
        BinaryPrimitives.WriteInt32LittleEndian(answer.AsSpan(4), answer.Length);
        answer[10] = removable ? (byte)1 : (byte)0;
        BinaryPrimitives.WriteInt32LittleEndian(answer.AsSpan(28), bus);
        return answer;
    }

    private static byte[] Hotplug(bool canBeUnplugged) => [8, 0, 0, 0, 0, 0, canBeUnplugged ? (byte)1 : (byte)0, 0];

    private static byte[] Extents(params uint[] disks)
    {
        var answer = new byte[8 + disks.Length * 24];
        BinaryPrimitives.WriteInt32LittleEndian(answer, disks.Length);
        for (var i = 0; i < disks.Length; i++)
            BinaryPrimitives.WriteUInt32LittleEndian(answer.AsSpan(8 + i * 24), disks[i]);
        return answer;
    }
}
