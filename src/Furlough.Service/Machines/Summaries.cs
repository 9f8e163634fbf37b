using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;

namespace Furlough.Service.Machines;

/// <summary>A machine's standing and shelves, from its survey and its relocations.</summary>
public static class Summaries
{
    /// <summary>The summary of a machine as storage knows it, and its shelves.</summary>
    public static (MachineSummary Summary, IReadOnlyList<Shelf> Shelves) Of(
        MachineRow machine,
        Survey? survey,
        IReadOnlyList<RelocationRow> relocations,
        IReadOnlyList<OriginalRow> originals
    )
    {
        var last = relocations.GroupBy(r => (r.Account, r.Holding)).Select(g => g.Last()).ToList();
        var standing = StandingOf(machine, last);
        var shelves = survey is null ? [] : Shelves(survey, last, originals, Column.ReservesOf(machine));
        return (
            new MachineSummary(
                machine.Id,
                machine.Name,
                machine.Room,
                standing,
                machine.LastSeen,
                machine.SurveyedAt,
                survey?.OperatingSystem,
                survey?.Holdings.Count ?? 0,
                survey?.Holdings.Sum(survey.OwnBytes) ?? 0,
                shelves.FirstOrDefault(s => s.System) is { } system ? ShelfSums.Of(system) : null,
                Attention(machine, standing, last),
                machine.Tag,
                machine.HeldBy
            )
            {
                SurveyWanted = machine.SurveyWanted,
            },
            shelves
        );
    }

    /// <summary>A summary with what is known only while it happens: who is silent.</summary>
    public static MachineSummary Now(MachineSummary stored, LiveHub live)
    {
        var now = stored with { LastSeen = live.LastSeen(stored.Id, stored.LastSeen) };
        if (live.TroubleInWords(stored.Id) is { } trouble)
            now = now with
            {
                Standing = Standing.Stuck,
                Attention = $"{char.ToUpperInvariant(trouble[0])}{trouble[1..]}.",
            };
        return live.IsSilent(stored.Id, stored.LastSeen)
            ? now with
            {
                Standing = Standing.Silent,
                Attention = stored.SurveyedAt is null ? "It has never been surveyed." : null,
            }
            : now;
    }

    private static Standing StandingOf(MachineRow machine, List<RelocationRow> last)
    {
        if (machine.Suspect || last.Any(r => r.State is RelocationState.Failed or RelocationState.Refused))
            return Standing.Stuck;
        if (
            last.Any(r =>
                r.State
                    is RelocationState.UnderWay
                        or RelocationState.Queued
                        or RelocationState.BackingOut
                        or RelocationState.Returning
                        or RelocationState.Discarding
                        or RelocationState.Gathering
            )
        )
            return Standing.UnderWay;
        if (last.Any(r => r.State == RelocationState.Waiting))
            return Standing.Waiting;
        if (machine.Drifted)
            return Standing.Drifted;
        return last.Any(r =>
            r.State is RelocationState.Switched or RelocationState.Finished or RelocationState.Returned
        )
            ? Standing.Settled
            : Standing.Ready;
    }

    private static string? Attention(MachineRow machine, Standing standing, List<RelocationRow> last) =>
        standing switch
        {
            Standing.Stuck when machine.Suspect =>
                "Another machine uses its key, or a copy of its disk: it gets no work. Stop the copy's agent, "
                    + $"then enrol {machine.Name} again: `furlough machine invite --again {machine.Name}`.",
            Standing.Stuck => Why(
                last.LastOrDefault(r =>
                    r.Failure is not null && r.State is (RelocationState.Failed or RelocationState.Refused)
                )
            ),
            Standing.Waiting => Why(
                last.LastOrDefault(r => r.Failure is not null && r.State == RelocationState.Waiting)
            ),
            _ when machine.HeldBy is { } by => $"Held by {by}: {machine.HeldReason}",
            Standing.Drifted => "Its settings or folders are not as they were left.",
            _ => null,
        };

    private static string? Why(RelocationRow? row) =>
        row?.Failure is { } failure ? Column.Read(failure, ModelJson.Default.Failure).Text : null;

    private static List<Shelf> Shelves(
        Survey survey,
        List<RelocationRow> last,
        IReadOnlyList<OriginalRow> originals,
        IReadOnlyDictionary<string, long> reserves
    )
    {
        var planned = last.Where(r =>
                r.State
                    is not (
                        RelocationState.Switched
                        or RelocationState.Finished
                        or RelocationState.Returned
                        or RelocationState.Failed
                        or RelocationState.Refused
                        or RelocationState.BackedOut
                        or RelocationState.Skipped
                    )
            )
            .Select(Column.PlannedOf)
            .ToList();
        var aside = originals.Select(o => Column.Read(o.Body, ModelJson.Default.OriginalFacts)).ToList();
        var unread = last.Where(r =>
                r.State == RelocationState.Failed
                && r.Failure?.Contains("file-unreadable", StringComparison.Ordinal) == true
            )
            .Select(r => (r.Account, r.Holding))
            .ToHashSet();
        return
        [
            .. survey.Volumes.Select(v => new Shelf(
                v.Root,
                v.Label,
                v.System,
                v.Attached,
                v.Medium,
                v.FileSystem,
                v.SizeBytes,
                v.FreeBytes,
                reserves.GetValueOrDefault(v.Identity.Key),
                Blocks(v.Identity.Key),
                v.Identity.FileSystemId.Length > 0 ? v.Identity.FileSystemId : v.Identity.Marker
            )),
        ];

        IReadOnlyList<ShelfBlock> Blocks(string volume) =>
            [
                .. survey
                    .Holdings.Where(h =>
                        h.Name.Kind != HoldingKind.InstallPath && h.Place?.Volume == volume && h.Present
                    )
                    .Select(h => (Holding: h, Bytes: survey.OwnBytes(h)))
                    .OrderByDescending(h => h.Bytes)
                    .Select(h => new ShelfBlock(h.Holding.Name.ToString(), h.Bytes, How(h.Holding))),
                .. aside
                    .Where(o => o.Source.Volume == volume)
                    .Select(o => new ShelfBlock(o.Holding.ToString(), o.DataBytes, "original")),
                .. planned
                    .Where(p => p.Method.MovesData() && p.Target?.Volume == volume)
                    .Select(p => new ShelfBlock(p.Holding.ToString(), p.DataBytes, "planned")),
            ];

        string How(HoldingFacts holding)
        {
            if (unread.Contains((holding.Name.Account, holding.Name.Name)))
                return "unreadable";
            return Drifted(holding, last) ? "drifted" : "live";
        }
    }

    private static bool Drifted(HoldingFacts holding, List<RelocationRow> last) =>
        last.FirstOrDefault(r => r.Account == holding.Name.Account && r.Holding == holding.Name.Name)
            is { State: RelocationState.Switched or RelocationState.Finished } row
        && Column.PlannedOf(row).Target != holding.Place;
}
