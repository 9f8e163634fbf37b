using System.Buffers.Binary;
using System.Runtime.InteropServices;
using Furlough.Engine;

namespace Furlough.Platform.Windows;

/// <summary>
/// A link as the file system records it, and as text that makes the same link again: symbolic links to files as they
/// are, to folders with <c>|folder</c> behind them, junctions with <c>|junction</c> (no name has that sign). Whole
/// paths are written as the system shows them, relative ones with slashes. The layout is that of [MS-FSCC] 2.1.2.4
/// (symbolic links) and 2.1.2.5 (junctions).
/// </summary>
internal static class LinkRecord
{
    internal const uint Symbolic = 0xA000000C,
        Junction = 0xA0000003;

    /// <summary>As long as a record may be, in bytes.</summary>
    internal const int MostBytes = 16 * 1024;

    private const string FolderMark = "|folder",
        JunctionMark = "|junction",
        Whole = @"\??\";
    private const int HeadBytes = 8,
        NamesBytes = 8,
        FlagBytes = 4;
    private const uint Relative = 1;

    /// <summary>Whether a tag is that of one of these links.</summary>
    internal static bool IsLink(uint tag) => tag is Symbolic or Junction;

    /// <summary>The text of a record.</summary>
    /// <param name="isFolder">The link stands for a folder.</param>
    /// <exception cref="IoFault">It is none of these links, or one that its text would not make again.</exception>
    internal static string Read(ReadOnlySpan<byte> record, bool isFolder, string path)
    {
        var tag =
            record.Length < HeadBytes + NamesBytes + FlagBytes ? 0 : BinaryPrimitives.ReadUInt32LittleEndian(record);
        if (!IsLink(tag))
            throw Unknown(path);
        var target = TargetOf(record) ?? throw Unknown(path);
        var relative = IsRelative(record);
        var shown =
            relative ? target.Replace('\\', '/')
            : IsLettered(target.AsSpan(Math.Min(Whole.Length, target.Length))) ? target[Whole.Length..]
            : target;
        var text =
            shown
            + (
                tag == Junction ? JunctionMark
                : isFolder ? FolderMark
                : ""
            );
        return
            Write(text) is var (again, folder)
            && folder == isFolder
            && IsRelative(again) == relative
            && TargetOf(again) == target
            ? text
            : throw Unknown(path);
    }

    /// <summary>The record that a text stands for, and whether its link stands for a folder.</summary>
    internal static (byte[] Record, bool IsFolder) Write(string text)
    {
        var junction = text.EndsWith(JunctionMark, StringComparison.Ordinal);
        var folder = junction || text.EndsWith(FolderMark, StringComparison.Ordinal);
        var shown = folder ? text[..text.LastIndexOf('|')] : text;
        var whole = junction || IsLettered(shown) || shown.StartsWith(Whole, StringComparison.Ordinal);
        var print = whole ? shown : shown.Replace('/', '\\');
        var target = whole && IsLettered(shown) ? Whole + shown : print;
        // Both names of a junction end with a zero, those of a symbolic link do not.
        var end = junction ? sizeof(char) : 0;
        var fixedBytes = HeadBytes + NamesBytes + (junction ? 0 : FlagBytes);
        var (targetBytes, printBytes) = (target.Length * sizeof(char), print.Length * sizeof(char));
        var record = new byte[fixedBytes + targetBytes + printBytes + 2 * end];
        BinaryPrimitives.WriteUInt32LittleEndian(record, junction ? Junction : Symbolic);
        ReadOnlySpan<int> lengths = [record.Length - HeadBytes, 0, 0, targetBytes, targetBytes + end, printBytes];
        for (var i = 0; i < lengths.Length; i++)
            BinaryPrimitives.WriteUInt16LittleEndian(record.AsSpan(4 + 2 * i), (ushort)lengths[i]);
        if (!junction)
            BinaryPrimitives.WriteUInt32LittleEndian(record.AsSpan(HeadBytes + NamesBytes), whole ? 0 : Relative);
        MemoryMarshal.AsBytes(target.AsSpan()).CopyTo(record.AsSpan(fixedBytes));
        MemoryMarshal.AsBytes(print.AsSpan()).CopyTo(record.AsSpan(fixedBytes + targetBytes + end));
        return (record, folder);
    }

    private static bool IsRelative(ReadOnlySpan<byte> record) =>
        BinaryPrimitives.ReadUInt32LittleEndian(record) == Symbolic
        && (BinaryPrimitives.ReadUInt32LittleEndian(record[(HeadBytes + NamesBytes)..]) & Relative) != 0;

    /// <summary>Where a record leads; null where it ends before its name does.</summary>
    private static string? TargetOf(ReadOnlySpan<byte> record)
    {
        var (at, length) = (
            BinaryPrimitives.ReadUInt16LittleEndian(record[HeadBytes..]),
            BinaryPrimitives.ReadUInt16LittleEndian(record[(HeadBytes + 2)..])
        );
        var from =
            HeadBytes + NamesBytes + (BinaryPrimitives.ReadUInt32LittleEndian(record) == Symbolic ? FlagBytes : 0) + at;
        return from + length > record.Length
            ? null
            : new string(MemoryMarshal.Cast<byte, char>(record.Slice(from, length)));
    }

    private static bool IsLettered(ReadOnlySpan<char> path) =>
        path is [>= 'A' and <= 'Z' or >= 'a' and <= 'z', ':', ..];

    private static IoFault Unknown(string path) =>
        new(IoReason.NotSupported, path, "it is a link of a kind that is not copied");
}
