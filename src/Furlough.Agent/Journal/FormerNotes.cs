using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Holds;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Agent.Journal;

/// <summary>
/// What steps recorded in journals of the first schema: texts under keys. Read once, when a journal is taken over.
/// </summary>
internal static class FormerNotes
{
    private const string NextValue = "next ";
    private const string FormerValue = "former-value ";
    private const string MadeTarget = "made-target ";
    private const string Confirmed = "confirmed";
    private const string ParkedFor = "parked-for";

    /// <summary>The records that a docket's notes become.</summary>
    /// <exception cref="FormatException">A note cannot be read.</exception>
    internal static IEnumerable<StepRecord> Read(Docket docket, IReadOnlyDictionary<string, string> notes) =>
        notes.Select(note => Read(docket, note.Key, note.Value, notes)).OfType<StepRecord>();

    private static StepRecord? Read(
        Docket docket,
        string key,
        string value,
        IReadOnlyDictionary<string, string> notes
    ) =>
        key switch
        {
            "target-shown" => new TargetShown(value),
            "prepare-compared" or "setting-compared" => new Compared(),
            "made-from" => new MadeParents(int.Parse(value, CultureInfo.InvariantCulture)),
            "empty-target" => ReadEmptyTarget(value.Split(' ')),
            "reached-by" => new ReachedBy(value.Split('/', StringSplitOptions.RemoveEmptyEntries)),
            "adopted" => new Adopted(),
            "nothing-at-source" => new NothingAtSource(),
            "folder-of-copy" => ReadFolder(DocketSide.Copy, value),
            "folder-of-original" => ReadFolder(DocketSide.Original, value),
            "first-start" => new FirstStartBegun(value == "done"),
            "original-back" => new RenamesBack(Guid.TryParse(value, out var taken) ? taken : null),
            "original-unfit" => new UnfitOriginal(Guid.Parse(value)),
            "original-back-flushed" => new LiveFlushed(long.Parse(value, CultureInfo.InvariantCulture)),
            "proven" => ReadProven(value.Split(' ')),
            "sign-in" => value is ['=', .. var former] ? new HoldTaken(SignInHold.Key, former) : null,
            "target-id" => new Arriving(ulong.Parse(value, CultureInfo.InvariantCulture)),
            "link-gave-way" => ReadLink(value.Split(' ', 3)),
            "link-left" => new LeftLink(),
            "compared" => new SourceCompared(),
            "gathered-as" => new GatheredAs(value),
            ParkedFor => value.Length == 0 ? null : new PutAway(value, notes.GetValueOrDefault("parked-saying", "")),
            _ when key.StartsWith(MadeTarget, StringComparison.Ordinal) => new MadeTarget(key[MadeTarget.Length..]),
            _ when key.StartsWith(NextValue, StringComparison.Ordinal) => AddressOf(docket, key[NextValue.Length..])
                is { } next
                ? new NextValue(next, ReadValue(value))
                : null,
            _ when key.StartsWith(FormerValue, StringComparison.Ordinal) => AddressOf(docket, key[FormerValue.Length..])
                is { } former
                ? new FormerValue(former, ReadValue(value))
                : null,
            _ when key.StartsWith(Confirmed, StringComparison.Ordinal) => new DiscardConfirmed(
                Guid.Parse(key[Confirmed.Length..])
            ),
            _ => null,
        };

    private static EmptyTarget ReadEmptyTarget(string[] facts) =>
        new(Number(facts[0]), Number(facts[1]), Number(facts[2]));

    private static LinkGaveWay ReadLink(string[] facts) => new(Number(facts[0]), Number(facts[1]), facts[2]);

    private static Proven ReadProven(string[] counts) =>
        new(long.Parse(counts[0], CultureInfo.InvariantCulture), long.Parse(counts[1], CultureInfo.InvariantCulture));

    private static OwnFolder? ReadFolder(DocketSide side, string value) =>
        value.Split('\t') is [var ground, var token, var id]
            ? new OwnFolder(side, PathText.Unescape(ground), token, ulong.TryParse(id, out var file) ? file : null)
            : null;

    /// <summary>Values were kept without telling an empty one from one that is not there; the type tells.</summary>
    private static PointerValue ReadValue(string value)
    {
        var parts = value.Split('\t', 2);
        var isAbsent = parts[0] == PointerValue.Absent.Type;
        return new PointerValue(parts[0], isAbsent ? null : parts[1]);
    }

    private static PointerAddress? AddressOf(Docket docket, string named) =>
        docket
            .Pointers.Select(p => p.Address)
            .FirstOrDefault(a => $"{a.Kind} {a.Container} {a.Key} {a.Account}" == named);

    private static uint Number(string text) => uint.Parse(text, CultureInfo.InvariantCulture);
}
