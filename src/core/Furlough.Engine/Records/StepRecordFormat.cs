using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Furlough.Model;

namespace Furlough.Engine.Records;

/// <summary>A record as a journal stores it.</summary>
/// <param name="Kind">Names its type.</param>
/// <param name="Key">Tells records of one kind apart.</param>
/// <param name="Body">Its values as JSON.</param>
public sealed record StoredRecord(string Kind, string Key, string Body);

/// <summary>
/// Stores records and reads them again. Kinds are the names in journals on machines: a new type gets a new one, none is
/// ever changed.
/// </summary>
public static class StepRecordFormat
{
    private static readonly Dictionary<string, JsonTypeInfo> Kinds = new()
    {
        ["compared"] = StepRecordJson.Default.Compared,
        ["target-claim"] = StepRecordJson.Default.TargetClaim,
        ["made-parents"] = StepRecordJson.Default.MadeParents,
        ["made-target"] = StepRecordJson.Default.MadeTarget,
        ["empty-target"] = StepRecordJson.Default.EmptyTarget,
        ["reached-by"] = StepRecordJson.Default.ReachedBy,
        ["target-shown"] = StepRecordJson.Default.TargetShown,
        ["adopted"] = StepRecordJson.Default.Adopted,
        ["nothing-at-source"] = StepRecordJson.Default.NothingAtSource,
        ["own-folder"] = StepRecordJson.Default.OwnFolder,
        ["first-start"] = StepRecordJson.Default.FirstStartBegun,
        ["former-value"] = StepRecordJson.Default.FormerValue,
        ["next-value"] = StepRecordJson.Default.NextValue,
        ["renames-back"] = StepRecordJson.Default.RenamesBack,
        ["unfit-original"] = StepRecordJson.Default.UnfitOriginal,
        ["live-flushed"] = StepRecordJson.Default.LiveFlushed,
        ["proven"] = StepRecordJson.Default.Proven,
        ["hold"] = StepRecordJson.Default.HoldTaken,
        ["arriving"] = StepRecordJson.Default.Arriving,
        ["link-gave-way"] = StepRecordJson.Default.LinkGaveWay,
        ["left-link"] = StepRecordJson.Default.LeftLink,
        ["source-compared"] = StepRecordJson.Default.SourceCompared,
        ["gathered-as"] = StepRecordJson.Default.GatheredAs,
        ["discard-confirmed"] = StepRecordJson.Default.DiscardConfirmed,
        ["put-away"] = StepRecordJson.Default.PutAway,
    };

    private static readonly Dictionary<Type, string> Names = Kinds.ToDictionary(k => k.Value.Type, k => k.Key);

    /// <summary>The kinds that hold the value of a setting.</summary>
    public static IReadOnlyList<string> OfSettings { get; } = [Names[typeof(FormerValue)], Names[typeof(NextValue)]];

    /// <summary>The kind that holds what a docket claims of its target.</summary>
    public static string OfClaims { get; } = Names[typeof(TargetClaim)];

    /// <summary>A record as it is stored.</summary>
    public static StoredRecord Store(StepRecord record)
    {
        var kind = Names[record.GetType()];
        return new StoredRecord(kind, record.Key, JsonSerializer.Serialize(record, Kinds[kind]));
    }

    /// <summary>A stored record.</summary>
    /// <exception cref="FormatException">The kind is unknown, or its values cannot be read: the journal was written by
    /// a later version, or is damaged.</exception>
    public static StepRecord Read(string kind, string body)
    {
        try
        {
            if (Kinds.TryGetValue(kind, out var type) && JsonSerializer.Deserialize(body, type) is StepRecord record)
                return record;
        }
        catch (JsonException damaged)
        {
            throw new FormatException($"The journal's record `{kind}` cannot be read ({damaged.Message}).", damaged);
        }
        throw new FormatException($"The journal has a record `{kind}` that this version does not know.");
    }

    /// <summary>Whether a record says that a setting had a value.</summary>
    public static bool IsValueOf(StepRecord record, PointerAddress address, PointerValue value) =>
        record is SettingRecord setting && setting.Address.IsSameSetting(address) && setting.Value == value;
}

/// <summary>Names of files may hold bytes that are no text.</summary>
internal sealed class EscapedText : JsonConverter<string>
{
    public override string? Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
        reader.GetString() is { } text ? PathText.Unescape(text) : null;

    public override void Write(Utf8JsonWriter writer, string value, JsonSerializerOptions options) =>
        writer.WriteStringValue(PathText.Escape(value));
}

[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase,
    UseStringEnumConverter = true,
    Converters = [typeof(EscapedText)]
)]
[JsonSerializable(typeof(Compared))]
[JsonSerializable(typeof(TargetClaim))]
[JsonSerializable(typeof(MadeParents))]
[JsonSerializable(typeof(MadeTarget))]
[JsonSerializable(typeof(EmptyTarget))]
[JsonSerializable(typeof(ReachedBy))]
[JsonSerializable(typeof(TargetShown))]
[JsonSerializable(typeof(Adopted))]
[JsonSerializable(typeof(NothingAtSource))]
[JsonSerializable(typeof(OwnFolder))]
[JsonSerializable(typeof(FirstStartBegun))]
[JsonSerializable(typeof(FormerValue))]
[JsonSerializable(typeof(NextValue))]
[JsonSerializable(typeof(RenamesBack))]
[JsonSerializable(typeof(UnfitOriginal))]
[JsonSerializable(typeof(LiveFlushed))]
[JsonSerializable(typeof(Proven))]
[JsonSerializable(typeof(HoldTaken))]
[JsonSerializable(typeof(Arriving))]
[JsonSerializable(typeof(LinkGaveWay))]
[JsonSerializable(typeof(LeftLink))]
[JsonSerializable(typeof(SourceCompared))]
[JsonSerializable(typeof(GatheredAs))]
[JsonSerializable(typeof(DiscardConfirmed))]
[JsonSerializable(typeof(PutAway))]
internal sealed partial class StepRecordJson : JsonSerializerContext;
