using System.Buffers.Binary;
using System.IO.Hashing;

namespace Furlough.Engine;

/// <summary>
/// The digest of a file's content: XxHash128 over its blocks of 64 KiB, each preceded by its number; blocks of zeros
/// are passed over, and the length ends it. A hole and written zeros are therefore equal, wherever a file system puts
/// its holes.
/// </summary>
public sealed class ContentDigest
{
    /// <summary>Bytes of a block; content is to be added in whole blocks but for the last.</summary>
    public const int BlockBytes = 64 * 1024;

    private readonly XxHash128 _hash = new();
    private readonly byte[] _number = new byte[8];

    /// <summary>Adds content that stands at an offset which is a multiple of <see cref="BlockBytes"/>.</summary>
    public void Add(long offset, ReadOnlySpan<byte> content)
    {
        for (var at = 0; at < content.Length; at += BlockBytes)
        {
            var block = content.Slice(at, Math.Min(BlockBytes, content.Length - at));
            if (!block.ContainsAnyExcept((byte)0))
                continue;
            BinaryPrimitives.WriteInt64LittleEndian(_number, (offset + at) / BlockBytes);
            _hash.Append(_number);
            _hash.Append(block);
        }
    }

    /// <summary>Ends the content and starts again.</summary>
    public UInt128 Finish(long lengthBytes)
    {
        BinaryPrimitives.WriteInt64LittleEndian(_number, lengthBytes);
        _hash.Append(_number);
        var digest = _hash.GetCurrentHashAsUInt128();
        _hash.Reset();
        return digest;
    }

    /// <summary>The digest of extended attributes; 0 for none.</summary>
    public static UInt128 Of(Ports.Attributes attributes)
    {
        if (attributes.Values.Count == 0)
            return 0;
        var hash = new XxHash128();
        Span<byte> length = stackalloc byte[8];
        foreach (var (name, value) in attributes.Values)
        {
            var text = System.Text.Encoding.UTF8.GetBytes(PathText.Escape(name));
            BinaryPrimitives.WriteInt32LittleEndian(length, text.Length);
            BinaryPrimitives.WriteInt32LittleEndian(length[4..], value.Length);
            hash.Append(length);
            hash.Append(text);
            hash.Append(value);
        }
        return hash.GetCurrentHashAsUInt128();
    }
}
