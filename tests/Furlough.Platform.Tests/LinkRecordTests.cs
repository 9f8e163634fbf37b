using System.Text;
using Furlough.Engine;
using Furlough.Platform.Windows;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>Links of Windows as its file systems record them, byte for byte as the public description has it.</summary>
public sealed class LinkRecordTests
{
    /// <summary>Tag, lengths (of what follows, of both names and where they begin), flags, both names.</summary>
    [Theory]
    [InlineData(@"C:\Users\Public|junction", "A0000003", 80, null, @"\??\C:\Users\Public", @"C:\Users\Public", true)]
    [InlineData("../Plots 2024|folder", "A000000C", 64, 1u, @"..\Plots 2024", @"..\Plots 2024", false)]
    [InlineData(@"D:\maps\fen.tif", "A000000C", 80, 0u, @"\??\D:\maps\fen.tif", @"D:\maps\fen.tif", false)]
    [InlineData("note", "A000000C", 28, 1u, "note", "note", false)]
    [InlineData(
        @"\??\UNC\heron\share|folder",
        "A000000C",
        88,
        0u,
        @"\??\UNC\heron\share",
        @"\??\UNC\heron\share",
        false
    )]
    [InlineData(@"\??\Volume{5f}\|junction", "A0000003", 72, null, @"\??\Volume{5f}\", @"\??\Volume{5f}\", true)]
    public void A_link_is_recorded_as_the_system_does_and_read_back_the_same(
        string text,
        string tag,
        int length,
        uint? flags,
        string target,
        string print,
        bool ends
    )
    {
        var end = ends ? 2 : 0;
        byte[] expected =
        [
            .. BitConverter.GetBytes(Convert.ToUInt32(tag, 16)),
            .. BitConverter.GetBytes((ushort)length),
            0,
            0,
            0,
            0,
            .. BitConverter.GetBytes((ushort)(2 * target.Length)),
            .. BitConverter.GetBytes((ushort)((2 * target.Length) + end)),
            .. BitConverter.GetBytes((ushort)(2 * print.Length)),
            .. flags is { } set ? BitConverter.GetBytes(set) : [],
            .. Encoding.Unicode.GetBytes(target),
            .. new byte[end],
            .. Encoding.Unicode.GetBytes(print),
            .. new byte[end],
        ];
        var (record, isFolder) = LinkRecord.Write(text);
        record.ShouldBe(expected);
        record.Length.ShouldBe(length + 8);
        isFolder.ShouldBe(text.Contains('|'));
        LinkRecord.Read(record, isFolder, "there").ShouldBe(text);
    }

    [Fact]
    public void Other_records_and_broken_ones_are_refused()
    {
        var (record, _) = LinkRecord.Write("note");
        Refused(record[..10]);
        Refused(record[..18]);
        Refused(record[..^12]);
        Refused([0x21, .. record[1..]]);
        // Whole by its flags, but not by its name.
        byte[] odd = [.. record];
        odd[16] = 0;
        Refused(odd);
        static void Refused(byte[] bytes) =>
            Should
                .Throw<IoFault>(() => LinkRecord.Read(bytes, isFolder: false, "there"))
                .Message.ShouldContain("link of a kind that is not copied");
    }
}
