using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;
using Org.BouncyCastle.Crypto.Generators;

namespace Furlough.Service.Backups;

/// <summary>
/// Files that a passphrase opens, in the format age-encryption.org/v1 with its scrypt recipient: other programs that know
/// the format open them too. What was changed, cut short or lengthened is noticed before any of that part is given out.
/// </summary>
internal static class PassphraseFile
{
    private const string Version = "age-encryption.org/v1";
    private const int WorkFactor = 17,
        MostWorkFactor = 20,
        ChunkBytes = 64 << 10,
        TagBytes = 16,
        KeyBytes = 16,
        LongestLine = 200;

    /// <summary>Whether a file begins as such a file does.</summary>
    internal static bool Is(ReadOnlySpan<byte> beginning) =>
        beginning.StartsWith(Encoding.ASCII.GetBytes(Version + "\n"));

    /// <summary>Writes everything of <paramref name="plain"/> so that the passphrase opens it.</summary>
    internal static void Write(Stream plain, Stream file, string passphrase)
    {
        var (key, salt) = (RandomNumberGenerator.GetBytes(KeyBytes), RandomNumberGenerator.GetBytes(16));
        var wrapped = new byte[KeyBytes + TagBytes];
        using (var wrapping = new ChaCha20Poly1305(WrappingKey(passphrase, salt, WorkFactor)))
            wrapping.Encrypt(new byte[12], key, wrapped.AsSpan(..KeyBytes), wrapped.AsSpan(KeyBytes..));
        var header = $"{Version}\n-> scrypt {Text(salt)} {WorkFactor}\n{Text(wrapped)}\n---";
        var nonce = RandomNumberGenerator.GetBytes(16);
        file.Write(Encoding.ASCII.GetBytes($"{header} {Text(MacOf(key, header))}\n"));
        file.Write(nonce);
        using var cipher = new ChaCha20Poly1305(PayloadKey(key, nonce));
        var (chunk, next) = (new byte[ChunkBytes], new byte[ChunkBytes]);
        var sealedChunk = new byte[ChunkBytes + TagBytes];
        var length = plain.ReadAtLeast(chunk, ChunkBytes, throwOnEndOfStream: false);
        for (var number = 0L; ; number++)
        {
            var after = length < ChunkBytes ? 0 : plain.ReadAtLeast(next, ChunkBytes, throwOnEndOfStream: false);
            cipher.Encrypt(
                NonceOf(number, after == 0),
                chunk.AsSpan(..length),
                sealedChunk.AsSpan(..length),
                sealedChunk.AsSpan(length, TagBytes)
            );
            file.Write(sealedChunk.AsSpan(..(length + TagBytes)));
            if (after == 0)
                return;
            (chunk, next, length) = (next, chunk, after);
        }
    }

    /// <summary>Writes what the passphrase opens to <paramref name="plain"/>.</summary>
    /// <exception cref="InvalidDataException">The passphrase is another, or the file is damaged.</exception>
    internal static void Read(Stream file, Stream plain, string passphrase)
    {
        var (version, recipient, wrapped, end) = (LineOf(file), LineOf(file), LineOf(file), LineOf(file));
        if (
            version != Version
            || recipient.Split(' ') is not ["->", "scrypt", var salt, var factor]
            || !int.TryParse(factor, out var work)
            || work is < 1 or > MostWorkFactor
            || end.Split(' ') is not ["---", var mac]
        )
            throw new InvalidDataException("it is not a file that a passphrase opens");
        var key = Unwrap(Bytes(wrapped), WrappingKey(passphrase, Bytes(salt), work));
        var header = $"{version}\n{recipient}\n{wrapped}\n---";
        if (!CryptographicOperations.FixedTimeEquals(MacOf(key, header), Bytes(mac)))
            throw Damaged();
        var nonce = new byte[16];
        if (file.ReadAtLeast(nonce, nonce.Length, throwOnEndOfStream: false) < nonce.Length)
            throw Damaged();
        using var cipher = new ChaCha20Poly1305(PayloadKey(key, nonce));
        Open(file, plain, cipher);
    }

    private static void Open(Stream file, Stream plain, ChaCha20Poly1305 cipher)
    {
        var (chunk, next) = (new byte[ChunkBytes + TagBytes], new byte[ChunkBytes + TagBytes]);
        var opened = new byte[ChunkBytes];
        var length = file.ReadAtLeast(chunk, chunk.Length, throwOnEndOfStream: false);
        for (var number = 0L; ; number++)
        {
            var after = length < chunk.Length ? 0 : file.ReadAtLeast(next, next.Length, throwOnEndOfStream: false);
            var bytes = length - TagBytes;
            if (bytes < 0)
                throw Damaged();
            try
            {
                cipher.Decrypt(
                    NonceOf(number, after == 0),
                    chunk.AsSpan(..bytes),
                    chunk.AsSpan(bytes, TagBytes),
                    opened.AsSpan(..bytes)
                );
            }
            catch (AuthenticationTagMismatchException)
            {
                throw Damaged();
            }
            plain.Write(opened.AsSpan(..bytes));
            if (after == 0)
                return;
            (chunk, next, length) = (next, chunk, after);
        }
    }

    private static byte[] Unwrap(byte[] wrapped, byte[] wrappingKey)
    {
        var key = new byte[KeyBytes];
        if (wrapped.Length != KeyBytes + TagBytes)
            throw Damaged();
        try
        {
            using var wrapping = new ChaCha20Poly1305(wrappingKey);
            wrapping.Decrypt(new byte[12], wrapped.AsSpan(..KeyBytes), wrapped.AsSpan(KeyBytes..), key);
            return key;
        }
        catch (AuthenticationTagMismatchException)
        {
            throw new InvalidDataException("the passphrase does not open it");
        }
    }

    private static InvalidDataException Damaged() => new("it is damaged or not complete");

    private static byte[] WrappingKey(string passphrase, byte[] salt, int work) =>
        SCrypt.Generate(
            Encoding.UTF8.GetBytes(passphrase),
            [.. Encoding.ASCII.GetBytes(Version + "/scrypt"), .. salt],
            1 << work,
            8,
            1,
            32
        );

    private static byte[] PayloadKey(byte[] key, byte[] nonce) =>
        HKDF.DeriveKey(HashAlgorithmName.SHA256, key, 32, nonce, "payload"u8.ToArray());

    private static byte[] MacOf(byte[] key, string header) =>
        HMACSHA256.HashData(
            HKDF.DeriveKey(HashAlgorithmName.SHA256, key, 32, [], "header"u8.ToArray()),
            Encoding.ASCII.GetBytes(header)
        );

    /// <summary>The chunk's number in 11 bytes, and whether it is the last.</summary>
    private static byte[] NonceOf(long number, bool last)
    {
        var nonce = new byte[12];
        BinaryPrimitives.WriteInt64BigEndian(nonce.AsSpan(3, 8), number);
        nonce[11] = last ? (byte)1 : (byte)0;
        return nonce;
    }

    private static string Text(byte[] bytes) => Convert.ToBase64String(bytes).TrimEnd('=');

    private static byte[] Bytes(string text)
    {
        try
        {
            return Convert.FromBase64String(text.PadRight((text.Length + 3) / 4 * 4, '='));
        }
        catch (FormatException)
        {
            throw Damaged();
        }
    }

    private static string LineOf(Stream file)
    {
        var line = new StringBuilder();
        for (int read; (read = file.ReadByte()) != '\n'; line.Append((char)read))
            if (read < 0 || line.Length > LongestLine)
                throw Damaged();
        return line.ToString();
    }
}
