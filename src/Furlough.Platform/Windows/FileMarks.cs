using System.Buffers.Binary;
using System.Runtime.InteropServices;
using Furlough.Engine.Ports;

namespace Furlough.Platform.Windows;

/// <summary>What a file's attributes and the tag of its reparse point say about copying it.</summary>
internal static class FileMarks
{
    private const uint Filtered = 0x400,
        Offline = 0x1000,
        Encrypted = 0x4000,
        FetchedWhenOpened = 0x4_0000,
        FetchedWhenRead = 0x40_0000;

    /// <summary>
    /// Symbolic links and junctions are copied as such. Every other tag means that a filter of the system puts the
    /// content together when someone opens the file (in the cloud, deduplicated, compressed elsewhere): read without
    /// that filter, as here, it is not all there.
    /// </summary>
    /// <param name="attributes">File attributes.</param>
    /// <param name="tag">Tag of the reparse point; 0 where there is none.</param>
    internal static NodeMarks Of(uint attributes, uint tag)
    {
        var filtered = (attributes & Filtered) != 0 && !LinkRecord.IsLink(tag);
        return (filtered || (attributes & (Offline | FetchedWhenOpened | FetchedWhenRead)) != 0 ? NodeMarks.NotHere : 0)
            | ((attributes & Encrypted) != 0 ? NodeMarks.Encrypted : 0);
    }

    /// <summary>Whether a file has streams of data besides its content.</summary>
    /// <param name="streams">The list of its streams as the system gives it ([MS-FSCC] 2.4.44).</param>
    internal static bool HasFurtherStreams(ReadOnlySpan<byte> streams)
    {
        const int lengthAt = 4,
            nameAt = 24;
        while (streams.Length >= nameAt)
        {
            var length = BinaryPrimitives.ReadInt32LittleEndian(streams[lengthAt..]);
            if (
                length < 0
                || length > streams.Length - nameAt
                || !MemoryMarshal.Cast<byte, char>(streams.Slice(nameAt, length)).SequenceEqual("::$DATA")
            )
                return true;
            var next = BinaryPrimitives.ReadInt32LittleEndian(streams);
            if (next <= 0 || next > streams.Length)
                return false;
            streams = streams[next..];
        }
        return false;
    }
}
