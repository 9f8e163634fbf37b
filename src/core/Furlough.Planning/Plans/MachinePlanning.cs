using System.Globalization;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Hazards;

namespace Furlough.Planning.Plans;

/// <summary>
/// Plans one machine: chooses holdings and targets, puts them in order, follows space and time, asks every hazard.
/// </summary>
internal sealed class MachinePlanning(
    Brief brief,
    FleetMachine machine,
    string wave,
    Experience experience,
    HoursOutlook hours,
    DateTimeOffset now
)
{
    private readonly List<Hazard> _hazards = [];
    private readonly Dictionary<string, long> _lowest = [];
    private readonly List<SpaceTimeline.Change> _changes = [];

    internal (
        IReadOnlyList<PlannedRelocation> Relocations,
        IReadOnlyList<PlannedVolume> Volumes,
        IReadOnlyList<Hazard> Hazards
    ) Plan()
    {
        if (machine.Survey is not { } survey)
        {
            AskForMachine([], []);
            return ([], [], _hazards);
        }
        foreach (var volume in survey.Volumes)
            _lowest[volume.Identity.Key] = volume.FreeBytes;

        List<PlannedRelocation> planned = [];
        foreach (
            var (item, holding) in Wanted(survey)
                .OrderBy(w => w.Holding.DataBytes)
                .ThenBy(w => w.Holding.Name.ToString(), StringComparer.Ordinal)
        )
            if (PlanOne(survey, item, holding, planned) is { } relocation)
                planned.Add(relocation);
        var volumes = Volumes(survey).ToList();
        AskForMachine(planned, [.. volumes.Select(v => v.Outlook)]);
        return (planned, [.. volumes.Select(v => v.Planned)], _hazards);
    }

    private void AskForMachine(List<PlannedRelocation> planned, IReadOnlyList<VolumeOutlook> volumes)
    {
        var going = planned.Where(r => r.Blocked.Count == 0).ToList();
        var context = new MachineContext(
            machine,
            now,
            going,
            TimeSpan.FromTicks(going.Sum(r => r.Forecast?.Work.Likely.Ticks ?? 0)),
            volumes,
            brief.BackupWithin
        );
        _hazards.AddRange(HazardCatalogue.OfMachines.Select(h => h.Check(context)).OfType<Hazard>());
    }

    private IEnumerable<(RelocateItem Item, HoldingFacts Holding)> Wanted(Survey survey)
    {
        HashSet<HoldingName> taken = [];
        var wanted = brief
            .Relocate.SelectMany(item =>
                item.Of(machine.Name, survey).Where(h => taken.Add(h.Name)).Select(holding => (item, holding))
            )
            .ToList();
        HashSet<HoldingName> along = [];
        // The outermost first; of two at one place the one that the brief names first.
        foreach (var (_, outer) in wanted.OrderBy(w => w.holding.Place?.Path.Length ?? 0))
            if (!along.Contains(outer.Name))
                along.UnionWith(MovedTogether.Along(survey, outer).Select(h => h.Name));
        return wanted.Where(w => !along.Contains(w.holding.Name));
    }

    private PlannedRelocation? PlanOne(
        Survey survey,
        RelocateItem item,
        HoldingFacts holding,
        List<PlannedRelocation> before
    )
    {
        var account = survey.AccountOf(holding.Name);
        var said = brief.Of(holding.Name.Account);
        var target = brief.Volumes[item.Onto].Choose(survey, said);
        var place = new Place(
            target?.Identity.Key ?? "",
            item.Path.Fill(name => ValueOf(name, holding, item) ?? said.GetValueOrDefault(name))
        );
        var receipt = item.AdoptsExisting ? ReceiptOf(survey, holding.Name) : null;
        if (receipt is not null)
            (place, target) = (receipt.Target, survey.VolumeOf(receipt.Target));
        var source = survey.VolumeOf(holding.Place);
        var method = MethodOf(
            item,
            holding,
            source,
            target,
            hasCopy: receipt is not null || target?.Taken.Contains(place.Path) == true
        );
        var forecast = Forecast(method, holding, source, target);
        var context = new HazardContext(
            brief,
            item,
            machine,
            survey,
            account,
            holding,
            source,
            target,
            place,
            method,
            receipt,
            _lowest,
            before
        )
        {
            Forecast = forecast,
            LongestHours = hours.Longest,
        };
        if (
            HazardCatalogue.NothingToDo.Select(h => h.Check(context)).FirstOrDefault(h => h is not null) is
            { } nothingToDo
        )
        {
            _hazards.Add(nothingToDo);
            return null;
        }
        var found = HazardCatalogue.Asked(method).Select(h => h.Check(context)).OfType<Hazard>().ToList();
        _hazards.AddRange(found);
        var blocked = found.Where(h => h.Severity == Severity.Blocking).Select(h => h.Code).ToList();
        if (blocked.Count == 0)
            Count(context, forecast);
        return new PlannedRelocation
        {
            Sequence = before.Count + 1,
            Machine = machine.Id,
            MachineName = machine.Name,
            Room = machine.Room,
            Holding = holding.Name,
            AccountId = account.Id,
            Method = method,
            Source = holding.Place,
            Target = target is null ? null : place,
            SourceShown = holding.PathShown,
            TargetShown = target is null ? $"({item.Onto})/{place.Path}" : survey.Show(place),
            SourceVolume = source?.Identity,
            TargetVolume = target?.Identity,
            // From the first part on that names the account, folders are its own.
            OwnedFrom = holding.Name.IsShared ? null : item.Path.FirstPartWith([.. brief.PersonalNames, "account"]),
            Pointers = MovedTogether.Pointers(survey, holding),
            Files = method.MovesData() ? holding.Files : 0,
            DataBytes = method.MovesData() ? holding.DataBytes : 0,
            Wave = wave,
            Blocked = blocked,
            Terms = brief.Work.For(method, holding.Name),
            Adoption = receipt is null ? null : new Adoption(receipt.Docket, ReceiptDigest.Of(receipt.Body)),
            Forecast = forecast,
            LeavesLink = context.LeavesLink,
            Keep = item.Keep,
            Attended = item.WaitsForPerson,
            Program = holding.Program,
            Beforehand = item.Attended ? [ErrandKind.BeThere, .. item.Beforehand] : item.Beforehand,
            Afterwards = item.Afterwards,
        };
    }

    /// <param name="hasCopy">The data stands at the target already.</param>
    private static Method MethodOf(
        RelocateItem item,
        HoldingFacts holding,
        VolumeFacts? source,
        VolumeFacts? target,
        bool hasCopy
    )
    {
        if (holding.Name.Kind == HoldingKind.InstallPath)
            return Method.Setting;
        if (item.AdoptsExisting && hasCopy)
            return Method.Adopt;
        return item.Method ?? (source is not null && source == target ? Method.Exchange : Method.Cold);
    }

    private RelocationForecast? Forecast(
        Method method,
        HoldingFacts holding,
        VolumeFacts? source,
        VolumeFacts? target
    ) =>
        source is null || target is null
            ? null
            : experience.Of(
                method,
                machine.Room,
                machine.Id,
                source,
                target,
                holding.DataBytes,
                holding.Files,
                brief.Work.BytesPerSecond
            );

    /// <summary>What a relocation that nothing blocks does to the room on its volumes.</summary>
    private void Count(HazardContext context, RelocationForecast? forecast)
    {
        var (holding, method) = (context.Holding, context.Method);
        var copies = method is Method.Cold or Method.Warm;
        if (copies)
            _lowest[context.Place.Volume] -= context.NeededBytes;
        if (method.MovesData())
            _changes.Add(
                new SpaceTimeline.Change(
                    holding.Name.ToString(),
                    holding.Place!.Volume,
                    context.Place.Volume,
                    copies ? context.NeededBytes : 0,
                    copies ? holding.DataBytes : 0,
                    forecast?.Work.Likely ?? TimeSpan.Zero,
                    context.Item.Keep ?? brief.Keep
                )
            );
    }

    /// <summary>
    /// The newest receipt that says where a holding's data is and that the service knows to be genuine.
    /// </summary>
    private static ReceiptFacts? ReceiptOf(Survey survey, HoldingName holding) =>
        survey
            .Receipts.Where(r =>
                r.Holding == holding && r.Genuine && r.DataThere && survey.VolumeOf(r.Target) is not null
            )
            .MaxBy(r => r.WrittenAt);

    /// <summary>The value of a name that every path may have; null where it is not one of these.</summary>
    private string? ValueOf(string name, HoldingFacts holding, RelocateItem item) =>
        name switch
        {
            "account" => holding.Name.IsShared ? "shared" : holding.Name.Account,
            "folder" => holding.Name.Name,
            "kind" => holding.Name.Kind.Word(),
            "machine" => machine.Name,
            "room" => machine.Room,
            "tag" => machine.Tag ?? "no tag",
            "volume" => item.Onto,
            "year" => now.Year.ToString("D4", CultureInfo.InvariantCulture),
            _ => null,
        };

    private IEnumerable<(PlannedVolume Planned, VolumeOutlook Outlook)> Volumes(Survey survey)
    {
        foreach (var volume in survey.Volumes)
        {
            var reserve = brief.ReserveOf(machine, volume);
            var growth = machine.Growth.GetValueOrDefault(volume.Identity.Key);
            var timeline = SpaceTimeline.Of(volume, _changes, growth);
            var lowest = SpaceTimeline.Lowest(timeline);
            var byGrowth =
                growth is not null
                && lowest.FreeBytes < reserve
                && SpaceTimeline.Lowest(SpaceTimeline.Of(volume, _changes, null)).FreeBytes >= reserve;
            var outlook = new VolumeOutlook(volume.Root, reserve, lowest, (long)(growth?.BytesPerDay ?? 0), byGrowth);
            yield return (
                new PlannedVolume(
                    volume.Identity.Key,
                    volume.Root,
                    volume.System,
                    volume.SizeBytes,
                    volume.FreeBytes,
                    lowest.FreeBytes,
                    timeline[^1].FreeBytes,
                    reserve,
                    timeline
                ),
                outlook
            );
        }
    }
}
