using System.Text;
using System.Text.Unicode;

namespace Furlough.Platform.Linux;

/// <summary>
/// File names are bytes: what is no UTF-8 becomes lone surrogates U+DC80..U+DCFF and turns back into the same bytes.
/// </summary>
internal static class LinuxName
{
    /// <summary>The bytes of a name, ended by a zero.</summary>
    internal static byte[] ToBytes(string name)
    {
        var odd = false;
        foreach (var c in name)
            if (char.IsSurrogate(c))
            {
                odd = true;
                break;
            }
        if (!odd)
        {
            var bytes = new byte[Encoding.UTF8.GetMaxByteCount(name.Length) + 1];
            var length = Encoding.UTF8.GetBytes(name, bytes);
            bytes[length] = 0;
            return bytes;
        }
        var result = new List<byte>(name.Length * 3 + 1);
        Span<byte> encoded = stackalloc byte[4];
        for (var i = 0; i < name.Length; i++)
        {
            if (name[i] is >= '\uDC80' and <= '\uDCFF' && (i == 0 || !char.IsHighSurrogate(name[i - 1])))
            {
                result.Add((byte)(name[i] - 0xDC00));
                continue;
            }
            Rune.DecodeFromUtf16(name.AsSpan(i), out var rune, out var used);
            var n = rune.EncodeToUtf8(encoded);
            for (var k = 0; k < n; k++)
                result.Add(encoded[k]);
            i += used - 1;
        }
        result.Add(0);
        return [.. result];
    }

    /// <summary>The name for bytes.</summary>
    internal static string FromBytes(ReadOnlySpan<byte> bytes)
    {
        if (Utf8.IsValid(bytes))
            return Encoding.UTF8.GetString(bytes);
        var text = new StringBuilder(bytes.Length);
        while (bytes.Length > 0)
        {
            if (Rune.DecodeFromUtf8(bytes, out var rune, out var used) == System.Buffers.OperationStatus.Done)
                text.Append(rune.ToString());
            else
            {
                for (var i = 0; i < used; i++)
                    text.Append((char)(0xDC00 + bytes[i]));
            }
            bytes = bytes[used..];
        }
        return text.ToString();
    }
}
