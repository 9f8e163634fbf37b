using System.Text.Json;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>
/// The two folders that a docket keeps, closed to everybody but the system (I12) and out of reach of every account
/// (I8): <c>.furlough-dockets/ID-copy/</c> on the target's volume with <c>staging</c> while copying, <c>manifest</c>
/// and <c>receipt</c>, and <c>.furlough-dockets/ID-original/</c> on the source's volume with <c>original</c>, its
/// <c>manifest</c> and a <c>receipt</c>. See <see cref="DocketFolders"/>.
/// </summary>
public static class Layout
{
    /// <summary>What every name of ours begins with.</summary>
    public const string Prefix = ".furlough-";

    /// <summary>The folder that holds the folders of all dockets.</summary>
    public const string Dockets = ".furlough-dockets";

    /// <summary>The marker in the root of a volume.</summary>
    public const string VolumeMarker = ".furlough-volume";

    /// <summary>The copy being made.</summary>
    public const string Staging = "staging";

    /// <summary>The data at the source after the switch.</summary>
    public const string Original = "original";

    /// <summary>The list of what was copied, once complete.</summary>
    public const string Manifest = "manifest";

    /// <summary>The list of what stood at the source, where the target was adopted and is not equal to it.</summary>
    public const string SourceManifest = "manifest-of-source";

    /// <summary>
    /// The manifest of a copy that was proven while people went on working, kept while it is caught up.
    /// </summary>
    public const string Proven = "proven";

    /// <summary>What attempts at copying list while they go on: "listed-1", "listed-2".</summary>
    public const string Listed = "listed-";

    /// <summary>The signed receipt.</summary>
    public const string Receipt = "receipt";

    /// <summary>A random text by which a docket's folder is recognised when it is opened again.</summary>
    public const string Token = "token";

    /// <summary>Only the system may enter.</summary>
    public const uint Closed = 0x1C0;

    /// <summary>Everybody may look in, only the system may change it.</summary>
    public const uint Open = 0x1ED;

    /// <summary>The name of a docket's folder on one side.</summary>
    public static string FolderOf(Guid docket, DocketSide side) =>
        $"{docket:N}-{(side == DocketSide.Copy ? "copy" : "original")}";

    /// <summary>The name that a docket's folder had in versions that kept it beside source and target.</summary>
    public static string FormerFolderOf(Guid docket) => Prefix + docket.ToString("N");

    /// <summary>The name of the empty folder with which a docket tries its renames.</summary>
    public static string TrialOf(Guid docket) => $"{Prefix}try-{docket:N}";
}

/// <summary>What a receipt says, so that a holding can be recognised without journal or service.</summary>
/// <param name="Names">Who was behind the numbers of owners and groups.</param>
public sealed record Receipt(
    Docket Docket,
    IReadOnlyList<PointerHistory> Pointers,
    DateTimeOffset WrittenAt,
    long Files,
    long DataBytes,
    string ManifestDigest,
    IReadOnlyList<NumberedName> Names
)
{
    /// <summary>Reads a receipt's file; null when it is torn or foreign. The signature is not checked here.</summary>
    public static (Receipt Receipt, string Body, string Signature)? Parse(string text)
    {
        if (text.Split('\n') is not [var body, var signature, ""])
            return null;
        try
        {
            return
                JsonSerializer.Deserialize(body, EngineJson.Default.Receipt)
                    is { Docket: not null, Names: not null } receipt
                ? (receipt, body, signature)
                : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>The receipt as a file: one line of JSON, one line of signature.</summary>
    public byte[] ToBytes(IReceiptSigner signer)
    {
        var body = JsonSerializer.SerializeToUtf8Bytes(this, EngineJson.Default.Receipt);
        return [.. body, (byte)'\n', .. System.Text.Encoding.ASCII.GetBytes(signer.Sign(body)), (byte)'\n'];
    }

    /// <summary>Writes it durably into a docket's folder.</summary>
    public void Write(IFolder folder, IReceiptSigner signer) =>
        DurableFile.Write(folder, Layout.Receipt, ToBytes(signer));

    /// <summary>The digest of the manifest in a docket's folder, as a receipt names it.</summary>
    public static string DigestOfManifest(IFolder own)
    {
        using var file = own.OpenFile(Layout.Manifest);
        return file.ReadBack(new ByteCounter(), CancellationToken.None)
            .Digest.ToString("x", System.Globalization.CultureInfo.InvariantCulture);
    }
}

/// <summary>JSON of the engine's own files.</summary>
[System.Text.Json.Serialization.JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[System.Text.Json.Serialization.JsonSerializable(typeof(Receipt))]
[System.Text.Json.Serialization.JsonSerializable(typeof(IReadOnlyList<NumberedName>))]
internal sealed partial class EngineJson : System.Text.Json.Serialization.JsonSerializerContext;
