using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Agent.Journal;
using Furlough.Engine;
using Furlough.Engine.Checks;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>One line of a check's report.</summary>
/// <param name="Wrong">Why it was not passed; null when it was.</param>
internal sealed record CheckLine(string What, string? Wrong);

/// <summary>What a check of this machine found.</summary>
/// <param name="OperatingSystem">The system that it speaks for, as surveys name it.</param>
internal sealed record CheckReport(
    DateTimeOffset At,
    string OperatingSystem,
    string AgentVersion,
    string Account,
    IReadOnlyList<CheckLine> Lines
)
{
    private const string FileName = "check.json";

    [JsonIgnore]
    internal bool IsPassed => Lines.Count > 0 && Lines.All(l => l.Wrong is null);

    internal void Write(string data) =>
        File.WriteAllText(Path.Combine(data, FileName), JsonSerializer.Serialize(this, CheckJson.Default.CheckReport));

    /// <summary>Whether a check of this very system and agent was passed.</summary>
    internal static bool Proves(string data, string system, string version)
    {
        var file = Path.Combine(data, FileName);
        try
        {
            return File.Exists(file)
                && JsonSerializer.Deserialize(File.ReadAllText(file), CheckJson.Default.CheckReport)
                    is { IsPassed: true } report
                && report.OperatingSystem == system
                && report.AgentVersion == version;
        }
        catch (Exception error) when (error is JsonException or IOException or UnauthorizedAccessException)
        {
            return false;
        }
    }
}

[JsonSerializable(typeof(CheckReport))]
[JsonSourceGenerationOptions(WriteIndented = true, PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
internal sealed partial class CheckJson : JsonSerializerContext;

/// <summary>
/// Asks this very system for what everything rests on: the contract of folders on its volumes, and each user folder of
/// an account made for the purpose relocated to another volume and returned, with every setting's value as it was.
/// </summary>
internal sealed class SelfCheck(
    IMachine machine,
    ISurveyor surveyor,
    IReadOnlyList<string> folderLinks,
    string version,
    TimeProvider time
)
{
    /// <summary>What a scratch account may hold at most: nobody's work is in one.</summary>
    private const long MostFiles = 200,
        MostBytes = 200_000_000;

    /// <summary>What is relocated goes below it.</summary>
    private const string Folder = "Furlough check";

    private readonly List<CheckLine> _lines = [];

    /// <summary>Checks, and says so line by line.</summary>
    /// <exception cref="Fault">The account or the volumes are not such that this may be tried on them; nothing was
    /// touched.</exception>
    internal CheckReport Run(string account, Action<string> say, CancellationToken stop)
    {
        var survey = surveyor.Take([], [], _ => false, stop);
        var (folders, other) = Choose(survey, account);
        foreach (var volume in survey.Volumes.Where(v => v.System || v == other))
            CheckVolume(volume, say);
        foreach (var folder in folders)
            Say(
                $"{folder.Name.Name} to {other.Root} and back",
                Tried(() => WithJournal(journal => CheckFolder(journal, survey, folder, other, stop))),
                say
            );
        if (machine.Activity.SignInRecord(account) is { } signIn)
            Say(
                $"{account} is locked out and can sign in again as before",
                Tried(() => CheckSignIn(account, signIn)),
                say
            );
        return new CheckReport(time.GetUtcNow(), survey.OperatingSystem, version, account, _lines);
    }

    private static (IReadOnlyList<HoldingFacts> Folders, VolumeFacts Other) Choose(Survey survey, string account)
    {
        var who = survey.Accounts.FirstOrDefault(a => a.Name == account)
            ?? throw Unfit($"There is no account {account} here.");
        if (who.Fallback)
            throw Unfit($"{account} is the fallback administrator.");
        List<HoldingFacts> folders =
        [
            .. survey.Holdings.Where(h =>
                h.Name is { Kind: HoldingKind.Folder }
                && h.Name.Account == account
                && h is { Present: true, Place: not null }
            ),
        ];
        if (folders.Count == 0)
            throw Unfit($"{account} has no user folders.");
        RequireLittle(account, folders);
        var other = survey.Volumes.FirstOrDefault(v =>
            v is { System: false, Writable: true } && folders.All(f => f.Place!.Volume != v.Identity.Key)
        ) ?? throw Unfit("There is no second volume that can be written to.");
        return (folders, other);
    }

    private static void RequireLittle(string account, List<HoldingFacts> folders)
    {
        if (folders.Sum(f => f.Files) > MostFiles || folders.Sum(f => f.DataBytes) > MostBytes)
            throw Unfit(
                $"{account} holds {folders.Sum(f => f.Files):N0} files ({Words.Size(folders.Sum(f => f.DataBytes))}): someone works in it."
            );
    }

    private static Fault Unfit(string why) =>
        new(
            FaultKinds.NotForChecks,
            why,
            "Make an account for the purpose, sign it in and out once, and have a second volume attached. Nothing was touched."
        );

    private void CheckVolume(VolumeFacts facts, Action<string> say)
    {
        using var volume = machine.Volumes.Require(facts.Identity);
        using var root = volume.OpenRoot();
        foreach (var (what, check) in FolderChecks.All)
        {
            var name = $"furlough-check-{Guid.NewGuid():N}";
            Say(
                $"{facts.Root}  {what}",
                Tried(() =>
                {
                    using var own = root.MakeFolder(name, Layout.Closed);
                    check(own, FolderTraits.Of(facts.Abilities) with { FolderLinks = folderLinks });
                }),
                say
            );
            if (root.Find(name) is not null)
                TreeRemoval.Run(root, name, CancellationToken.None);
        }
    }

    /// <summary>
    /// Relocated, found by the system at its new place, returned; afterwards values and content are as they were and
    /// both originals are gone.
    /// </summary>
    private void CheckFolder(
        AgentStore journal,
        Survey survey,
        HoldingFacts folder,
        VolumeFacts other,
        CancellationToken stop
    )
    {
        var (source, before) = (survey.VolumeOf(folder.Place)!, Values(folder));
        var there = new Docket
        {
            Id = Guid.CreateVersion7(),
            Relocation = 0,
            Machine = Guid.Empty,
            Supersession = 1,
            NotBefore = DateTimeOffset.MinValue,
            NotAfter = DateTimeOffset.MaxValue,
            Work = DocketWork.Relocate,
            Method = Method.Cold,
            Holding = folder.Name,
            AccountId = survey.AccountOf(folder.Name).Id,
            Source = folder.Place!,
            Target = new Place(other.Identity.Key, $"{Folder}/{folder.Name.Account}/{folder.Name.Name}"),
            SourceVolume = source.Identity,
            TargetVolume = other.Identity,
            OwnedFrom = 1,
            Pointers = [.. folder.Pointers.Select(p => new PointerChange(p.Address, p.Value, null))],
            Files = folder.Files,
            DataBytes = folder.DataBytes,
            Originals = [],
            Supersedes = [],
            Terms = Terms.Plain,
        };
        var went = CarryOut(journal, there, RelocationState.Switched, stop);
        var back = there with
        {
            Id = Guid.CreateVersion7(),
            Supersession = 2,
            Work = DocketWork.Return,
            Source = there.Target,
            Target = there.Source,
            SourceVolume = there.TargetVolume,
            TargetVolume = there.SourceVolume,
            OwnedFrom = 0,
            Pointers = [.. went.Pointers.Select(p => new PointerChange(p.Address, p.After, p.Before))],
            // A return that knew of the first original would rename it back: here copying is tried in both directions.
            Supersedes = [],
        };
        CarryOut(journal, back, RelocationState.Returned, stop);
        foreach (var (value, found) in before.Zip(Values(folder)))
            if (value != found)
                throw new CheckFailedException(
                    $"a setting read `{value.Text ?? "(nothing)"}` before and reads `{found.Text ?? "(nothing)"}` now"
                );
        // What lives where it did has its two originals removed.
        foreach (var docket in (Docket[])[there, back])
            CarryOut(
                journal,
                docket with
                {
                    Id = Guid.CreateVersion7(),
                    Supersession = 3,
                    Work = DocketWork.Discard,
                    Target = there.Source,
                    TargetVolume = there.SourceVolume,
                    Pointers = [.. folder.Pointers.Select(p => new PointerChange(p.Address, p.Value, p.Value))],
                    Originals = [docket.Id],
                    Supersedes = [],
                    Discards = new DiscardTerms(time.GetUtcNow(), "a check of this machine", []),
                },
                RelocationState.Finished,
                stop
            );
        Clear(there.SourceVolume, there.Source, [there.Id, back.Id]);
        Clear(there.TargetVolume, there.Target, [there.Id, back.Id]);
    }

    private void CheckSignIn(string account, string before)
    {
        machine.Activity.BarSignIn(account);
        var barred = machine.Activity.IsBarred(account) ?? machine.Activity.SignInRecord(account) != before;
        machine.Activity.AllowSignIn(account, before);
        if (!barred)
            throw new CheckFailedException("the system did not take note that it is locked out");
        if (machine.Activity.SignInRecord(account) is var now && now != before)
            throw new CheckFailedException($"its sign-in read `{before}` before and reads `{now}` now");
    }

    /// <summary>
    /// Receipts beside a place are of no use after a check, nor are the folders that were made for it.
    /// </summary>
    private void Clear(VolumeIdentity identity, Place place, IReadOnlyList<Guid> dockets)
    {
        using var volume = machine.Volumes.Require(identity);
        using var root = volume.OpenRoot();
        foreach (var docket in dockets)
            using (var own = DocketFolders.TryFind(root, volume.Abilities, place, docket, DocketSide.Copy))
                if (own is { HoldsOriginal: false })
                    own.Remove(CancellationToken.None);
        if (place.Parts[0] != Folder)
            return;
        for (var count = place.Parts.Count - 1; count > 0; count--)
        {
            using var parent = Reach.TryFolder(root, place.Parts.Take(count - 1));
            if (parent?.Find(place.Parts[count - 1]) is null)
                continue;
            using (var made = parent.OpenFolder(place.Parts[count - 1]))
                if (made.List().Count > 0)
                    return;
            parent.RemoveFolder(place.Parts[count - 1]);
        }
    }

    private List<PointerValue> Values(HoldingFacts folder) =>
        [.. folder.Pointers.Select(p => machine.Pointers.Read(p.Address))];

    private RelocationChange CarryOut(AgentStore store, Docket docket, RelocationState good, CancellationToken stop)
    {
        store.Add(store.Dockets().Count + 1, docket, "");
        var last = new LastChange();
        using var engine = new RelocationEngine(machine, store, new EveryPermit(), new Unsigned(), time);
        var end = engine.Run(docket, last, stop);
        return end == good
            ? last.Change!
            : throw new CheckFailedException(last.Change?.Failure?.InFull() ?? $"it ended as {end.Word()}");
    }

    /// <summary>A journal of its own for one folder's way there and back.</summary>
    private static void WithJournal(Action<AgentStore> act)
    {
        var scratch = Directory.CreateTempSubdirectory("furlough-check-");
        try
        {
            using var store = new AgentStore(Path.Combine(scratch.FullName, "agent.db"));
            act(store);
        }
        finally
        {
            Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
            scratch.Delete(recursive: true);
        }
    }

    private static string? Tried(Action act)
    {
        try
        {
            act();
        }
        catch (Exception wrong) when (wrong is CheckFailedException or Fault)
        {
            return wrong.Message;
        }
        return null;
    }

    private void Say(string what, string? wrong, Action<string> say)
    {
        _lines.Add(new CheckLine(what, wrong));
        say($"{(wrong is null ? "passed" : "FAILED")}  {what}{(wrong is null ? "" : $": {wrong}")}");
    }

    /// <summary>What is checked leaves no receipt behind that anybody would trust.</summary>
    private sealed class Unsigned : IReceiptSigner
    {
        public string Sign(ReadOnlySpan<byte> bytes) => "";
    }
}

/// <summary>Surveys of a system whose adapters count as unproven say so until a check of it was passed.</summary>
internal sealed class ProvenSurveyor(ISurveyor surveyor, string data, string version) : ISurveyor
{
    public Survey Take(
        IReadOnlyList<KindCard> kinds,
        IReadOnlyList<OriginalFacts> originals,
        Func<Guid, bool> knows,
        CancellationToken stop
    )
    {
        var survey = surveyor.Take(kinds, originals, knows, stop);
        return survey.Unproven && CheckReport.Proves(data, survey.OperatingSystem, version)
            ? survey with
            {
                Unproven = false,
            }
            : survey;
    }
}
