using System.Text;
using Furlough.Engine.Ports;
using Furlough.Platform.Windows;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>What keeps a file of Windows from being copied, by the publicly documented attributes and tags.</summary>
public sealed class FileMarksTests
{
    [Theory]
    [InlineData(0x20u, 0u, NodeMarks.None)] // an ordinary file
    [InlineData(0x420u, 0xA000000Cu, NodeMarks.None)] // a symbolic link
    [InlineData(0x410u, 0xA0000003u, NodeMarks.None)] // a junction
    [InlineData(0x620u, 0x80000013u, NodeMarks.NotHere)] // deduplicated
    [InlineData(0x420u, 0x80000017u, NodeMarks.NotHere)] // compressed elsewhere
    [InlineData(0x420u, 0x9000001Au, NodeMarks.NotHere)] // in the cloud
    [InlineData(0x410u, 0x9000101Au, NodeMarks.NotHere)] // a folder in the cloud
    [InlineData(0x420u, 0x8000001Bu, NodeMarks.NotHere)] // the name of an app
    [InlineData(0x420u, uint.MaxValue, NodeMarks.NotHere)] // a tag that cannot be read
    [InlineData(0x1020u, 0u, NodeMarks.NotHere)] // offline
    [InlineData(0x40020u, 0u, NodeMarks.NotHere)] // fetched when it is opened
    [InlineData(0x400020u, 0u, NodeMarks.NotHere)] // fetched when it is read
    [InlineData(0x4020u, 0u, NodeMarks.Encrypted)]
    [InlineData(0x4420u, 0x9000001Au, NodeMarks.Encrypted | NodeMarks.NotHere)]
    public void Attributes_and_tags_say_what_is_no_whole_file(uint attributes, uint tag, NodeMarks marks) =>
        FileMarks.Of(attributes, tag).ShouldBe(marks);

    [Fact]
    public void Streams_beside_the_content_are_found()
    {
        FileMarks.HasFurtherStreams([]).ShouldBeFalse("a folder has none");
        FileMarks.HasFurtherStreams(List("::$DATA")).ShouldBeFalse();
        FileMarks.HasFurtherStreams(List("::$DATA", ":origin:$DATA")).ShouldBeTrue();
        FileMarks.HasFurtherStreams(List(":origin:$DATA")).ShouldBeTrue("a folder may have streams too");
        FileMarks.HasFurtherStreams(List("::$DATA").AsSpan(0, 30)).ShouldBeTrue("cut off: what is not known counts");
    }

    /// <summary>
    /// Offset of the next, length of the name in bytes, size, allocated size, name; each at a multiple of eight.
    /// </summary>
    private static byte[] List(params IReadOnlyList<string> names) =>
        [
            .. names.SelectMany(
                (name, i) =>
                {
                    var text = Encoding.Unicode.GetBytes(name);
                    var length = (24 + text.Length + 7) / 8 * 8;
                    byte[] entry =
                    [
                        .. BitConverter.GetBytes(i == names.Count - 1 ? 0 : length),
                        .. BitConverter.GetBytes(text.Length),
                        .. new byte[16],
                        .. text,
                    ];
                    return i == names.Count - 1 ? entry : [.. entry, .. new byte[length - entry.Length]];
                }
            ),
        ];
}
