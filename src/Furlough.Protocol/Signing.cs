using System.Buffers.Text;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Org.BouncyCastle.Crypto.Parameters;
using Org.BouncyCastle.Crypto.Signers;
using Org.BouncyCastle.Security;

namespace Furlough.Protocol;

/// <summary>An Ed25519 key pair. The private half never leaves its owner.</summary>
public sealed class SigningKey
{
    private readonly Ed25519PrivateKeyParameters _private;

    private SigningKey(Ed25519PrivateKeyParameters key)
    {
        _private = key;
        Public = Base64Url.EncodeToString(key.GeneratePublicKey().GetEncoded());
    }

    /// <summary>The public half, base64url.</summary>
    public string Public { get; }

    /// <summary>Makes a new pair.</summary>
    public static SigningKey Make() => new(new Ed25519PrivateKeyParameters(new SecureRandom()));

    /// <summary>Reads the pair from its file, or makes one and writes it (mode 0600).</summary>
    public static SigningKey LoadOrMake(string path)
    {
        if (File.Exists(path))
            return new SigningKey(
                new Ed25519PrivateKeyParameters(Base64Url.DecodeFromChars(File.ReadAllText(path).Trim()))
            );
        var key = Make();
        PrivateFile.Write(path, Base64Url.EncodeToString(key._private.GetEncoded()) + "\n");
        return key;
    }

    /// <summary>Signs bytes.</summary>
    public byte[] Sign(ReadOnlySpan<byte> message)
    {
        var signer = new Ed25519Signer();
        signer.Init(true, _private);
        signer.BlockUpdate(message);
        return signer.GenerateSignature();
    }

    /// <summary>Whether the owner of a public key signed a text; the signature is base64url.</summary>
    public static bool HasSigned(string publicKey, string text, string signature)
    {
        try
        {
            var verifier = new Ed25519Signer();
            verifier.Init(false, new Ed25519PublicKeyParameters(Base64Url.DecodeFromChars(publicKey)));
            verifier.BlockUpdate(Encoding.UTF8.GetBytes(text));
            return verifier.VerifySignature(Base64Url.DecodeFromChars(signature));
        }
        catch (Exception malformed) when (malformed is FormatException or ArgumentException)
        {
            return false;
        }
    }
}

/// <summary>Why a signed message was not accepted.</summary>
public sealed class SignatureException(string message, Model.Docket? authentic = null) : Exception(message)
{
    /// <summary>
    /// The docket, when it is authentic and for this machine, and must not be carried out for another reason.
    /// </summary>
    public Model.Docket? Authentic { get; } = authentic;
}

/// <summary>JSON Web Signatures in compact form, algorithm EdDSA with Ed25519 (RFC 7515, RFC 8037).</summary>
public static class Jws
{
    private const int LimitCharacters = 4 << 20;

    /// <summary>
    /// Signs a payload. <paramref name="type"/> says what it is, so that one kind of message never passes for another.
    /// </summary>
    public static string Sign(SigningKey key, string type, ReadOnlySpan<byte> payload)
    {
        var header = JsonSerializer.SerializeToUtf8Bytes(new JwsHeader("EdDSA", type), JwsJson.Default.JwsHeader);
        var signed = Base64Url.EncodeToString(header) + "." + Base64Url.EncodeToString(payload);
        return signed + "." + Base64Url.EncodeToString(key.Sign(Encoding.ASCII.GetBytes(signed)));
    }

    /// <summary>The payload of a message, after its signature and type were checked.</summary>
    /// <exception cref="SignatureException">The message is malformed, of another type, or not signed by this
    /// key.</exception>
    public static byte[] Verify(string publicKey, string type, string message)
    {
        var parts = message.Split('.');
        if (message.Length > LimitCharacters || parts.Length != 3)
            throw new SignatureException("The message is not a compact JWS.");
        try
        {
            var header = JsonSerializer.Deserialize(Base64Url.DecodeFromChars(parts[0]), JwsJson.Default.JwsHeader);
            if (header is not { Algorithm: "EdDSA" })
                throw new SignatureException("The message is not signed with EdDSA.");
            if (header.Type != type)
                throw new SignatureException($"The message is a {header.Type} and not a {type}.");
            if (!SigningKey.HasSigned(publicKey, $"{parts[0]}.{parts[1]}", parts[2]))
                throw new SignatureException("The signature does not fit the message.");
            return Base64Url.DecodeFromChars(parts[1]);
        }
        catch (Exception malformed) when (malformed is FormatException or JsonException or ArgumentException)
        {
            throw new SignatureException("The message is not a compact JWS.");
        }
    }

    /// <summary>What a message says, after its signature and type were checked.</summary>
    /// <exception cref="SignatureException">As for <see cref="Verify"/>, or what it says is malformed.</exception>
    public static T Read<T>(string publicKey, string type, string message, JsonTypeInfo<T> body)
    {
        try
        {
            return JsonSerializer.Deserialize(Verify(publicKey, type, message), body)
                ?? throw new SignatureException("The message is empty.");
        }
        catch (JsonException malformed)
        {
            throw new SignatureException(malformed.Message);
        }
    }
}

/// <summary>The protected header.</summary>
internal sealed record JwsHeader(
    [property: JsonPropertyName("alg")] string Algorithm,
    [property: JsonPropertyName("typ")] string Type
);

[JsonSerializable(typeof(JwsHeader))]
internal sealed partial class JwsJson : JsonSerializerContext;
