using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>Runs as people see them.</summary>
public sealed class RunViews(RunHours hours, LiveHub live, TimeProvider time)
{
    /// <summary>Runs as lists show them.</summary>
    public static async Task<List<RunSummary>> SummariesAsync(FurloughDb db, List<RunRow> runs, CancellationToken stop)
    {
        var numbers = runs.ConvertAll(r => r.Number);
        var counted = db.Relocations.Where(r => numbers.Contains(r.Run) && !r.Blocked);
        var states = (
            await counted
                .GroupBy(r => new { r.Run, r.State })
                .Select(g => new
                {
                    g.Key.Run,
                    g.Key.State,
                    Count = g.Count(),
                    DataBytes = g.Sum(r => r.DataBytes),
                })
                .ToListAsync(stop)
        ).ToLookup(g => g.Run);
        var machines = await MachinesAsync(counted, stop);
        return runs.ConvertAll(run => new RunSummary(
            run.Number,
            run.Plan,
            run.Title,
            run.State,
            run.StartedBy,
            run.StartedAt,
            run.EndedAt
        )
        {
            Machines = machines.GetValueOrDefault(run.Number),
            Relocations = states[run.Number].Sum(g => g.Count),
            DataBytes = states[run.Number].Sum(g => g.DataBytes),
            DoneBytes = states[run.Number].Where(g => IsAtTarget(g.State)).Sum(g => g.DataBytes),
            Counts = states[run.Number].ToDictionary(g => g.State.Word(), g => g.Count),
        });
    }

    private static Task<Dictionary<long, int>> MachinesAsync(
        IQueryable<RelocationRow> counted,
        CancellationToken stop
    ) =>
        counted
            .Select(r => new { r.Run, r.Machine })
            .Distinct()
            .GroupBy(r => r.Run)
            .Select(g => new { Run = g.Key, Count = g.Count() })
            .ToDictionaryAsync(g => g.Run, g => g.Count, stop);

    private static bool IsAtTarget(RelocationState state) =>
        state is RelocationState.Switched or RelocationState.Finished;

    /// <summary>A run as it is now.</summary>
    public async Task<RunView> OfAsync(FurloughDb db, RunRow run, CancellationToken stop)
    {
        var rows = await db
            .Relocations.Where(r => r.Run == run.Number)
            .Join(
                db.Machines,
                r => r.Machine,
                m => m.Id,
                (r, m) =>
                    new
                    {
                        r.Number,
                        Machine = m.Name,
                        MachineId = m.Id,
                        m.LastSeen,
                        r.Wave,
                        r.State,
                        r.DataBytes,
                        r.Blocked,
                        r.Failure,
                    }
            )
            .OrderBy(r => r.Number)
            .ToListAsync(stop);
        var blocked = rows.Where(r => r.Blocked).Select(r => r.Number).ToHashSet();
        var counted = rows.Where(r => !r.Blocked).ToList();
        var told = rows.Where(r => r.Failure is not null)
            .Select(r => new Told(r.Number, r.Machine, r.State, Column.Read(r.Failure!, ModelJson.Default.Failure)))
            .ToList();
        var reasons = told.Where(f => !blocked.Contains(f.Number))
            .GroupBy(f => (f.Failure.Code, AtRest: f.State.IsAtRest()))
            .Select(g => (g.Key.AtRest, Group: GroupOf([.. g])))
            .ToList();
        var open = run.State == RunState.Ended ? null : (await hours.OfAsync(db, run, stop)).Open;
        return new RunView
        {
            Number = run.Number,
            Plan = run.Plan,
            Title = run.Title,
            State = run.State,
            StartedBy = run.StartedBy,
            StartedAt = run.StartedAt,
            EndedAt = run.EndedAt,
            Machines = counted.Select(r => r.Machine).Distinct().Count(),
            Relocations = counted.Count,
            DataBytes = counted.Sum(r => r.DataBytes),
            DoneBytes = counted.Where(r => IsAtTarget(r.State)).Sum(r => r.DataBytes),
            Counts = counted.GroupBy(r => r.State.Word()).ToDictionary(g => g.Key, g => g.Count()),
            Failures = [.. reasons.Where(r => r.AtRest).Select(r => r.Group)],
            Waits = [.. reasons.Where(r => !r.AtRest).Select(r => r.Group)],
            WaitsForPerson =
                rows.Any(r => r.State == RelocationState.Waiting)
                && rows.All(r => r.State.IsAtRest() || r.State == RelocationState.Waiting)
                && !reasons.Any(r => !r.AtRest && GoesOn(run, FaultKinds.Find(r.Group.Code))),
            Hours = open?.Next,
            HoursOpen = open?.IsOpen != false,
            ApprovedBy = run.ApprovedBy,
            Blocked =
            [
                .. told.Where(f => blocked.Contains(f.Number))
                    .GroupBy(f => f.Failure.Code)
                    .OrderByDescending(g => g.Count())
                    .Select(g => GroupOf([.. g])),
            ],
            Originals = await OriginalsAsync(db, run, stop),
            HeldUp = HoldUps.Of(
                run,
                [
                    .. rows.Where(r => !r.State.IsAtRest())
                        .Select(r => new StillToDo(
                            r.Number,
                            r.Machine,
                            r.State,
                            r.Wave,
                            r.Failure is null ? null : Column.Read(r.Failure, ModelJson.Default.Failure),
                            live.IsSilent(r.MachineId, r.LastSeen)
                                ? time.GetUtcNow() - live.LastSeen(r.MachineId, r.LastSeen)
                                : null,
                            live.TroubleInWords(r.MachineId)
                        )),
                ],
                open
            ),
        };
    }

    private async Task<KeptOriginals> OriginalsAsync(FurloughDb db, RunRow run, CancellationToken stop)
    {
        var originals = await db
            .Originals.Where(o => db.Relocations.Any(r => r.Number == o.Relocation && r.Run == run.Number))
            .ToListAsync(stop);
        return KeptOriginals.Of(
            originals.ConvertAll(o => (Column.Read(o.Body, ModelJson.Default.OriginalFacts).DataBytes, o.KeptUntil)),
            time.GetUtcNow()
        );
    }

    /// <summary>A run that is not paused any more goes on at the machine's next contact.</summary>
    private static bool GoesOn(RunRow run, FaultKind? reason) =>
        reason?.Next == NextStep.Wait || (reason == FaultKinds.RunPaused && run.State != RunState.Paused);

    private static FailureGroup GroupOf(IReadOnlyList<Told> same) =>
        new(
            same[0].Failure.Code,
            [.. same.Select(f => f.Number)],
            [.. same.Select(f => f.Machine).Distinct().Order(StringComparer.Ordinal)],
            same[0].Failure.InFull()
        );

    /// <summary>A relocation that says why it is not done.</summary>
    private sealed record Told(long Number, string Machine, RelocationState State, Failure Failure);
}
