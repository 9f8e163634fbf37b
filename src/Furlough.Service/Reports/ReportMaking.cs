using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Audits;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Reports;

/// <summary>Puts reports together from what is stored; every number of them can be asked for separately too.</summary>
public sealed class ReportMaking(Store store, LiveHub live, RunViews views, TimeProvider time)
{
    /// <summary>
    /// A run: what it did, where its data lives now, what failed, who consented to what, and the volumes before and
    /// after.
    /// </summary>
    public Task<Report> OfRunAsync(long number, string who, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var run = await Find.RunAsync(db, number, stop);
                var view = await views.OfAsync(db, run, stop);
                var plan = await Find.PlanAsync(db, run.Plan, stop);
                var body = Column.Read(plan.Body, ModelJson.Default.PlanBody);
                var machines = await db
                    .Machines.Where(m => db.Relocations.Any(r => r.Run == number && r.Machine == m.Id))
                    .OrderBy(m => m.Name)
                    .ToListAsync(stop);
                var byId = machines.ToDictionary(m => m.Id);
                var rows = (await db.Relocations.Where(r => r.Run == number).OrderBy(r => r.Number).ToListAsync(stop))
                    .Where(r => byId.ContainsKey(r.Machine))
                    .Select(r => RelocationViews.Of(r, SeenMachine.Of(byId[r.Machine]), live, hasOriginal: false))
                    .ToList();
                var consents = await db
                    .Consents.Where(c => c.Plan == run.Plan && c.Digest == plan.Digest)
                    .OrderBy(c => c.At)
                    .ToListAsync(stop);
                var space = await SpaceOfAsync(db, machines, body.Machines, stop);
                var counts = view.Counts.OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => $"{c.Value} {c.Key}");
                return new Report(
                    $"Run {number}: {run.Title}",
                    time.GetUtcNow(),
                    who,
                    [
                        Begun(run, plan),
                        $"{Words.Count(view.Relocations, "relocation")} on "
                            + $"{Words.Count(view.Machines, "machine")}: {string.Join(", ", counts)}. "
                            + $"{Words.Size(view.DoneBytes)} of {Words.Size(view.DataBytes)} live at the target.",
                        BasisOf(machines),
                        .. view.Originals.Count > 0
                            ? [$"Free only when they are discarded (hatched): {view.Originals}"]
                            : Kept(space),
                    ],
                    space,
                    [
                        OfMachines(rows),
                        OfFailures(rows),
                        new ReportTable(
                            "Consents",
                            "Hazards that someone accepted",
                            ["hazard", "by", "at", "reason"],
                            [.. consents.Select(c => (string[])[c.Hazard, c.By, When(c.At), c.Reason])]
                        ),
                        OfRelocations(rows),
                    ]
                );
            },
            stop
        );

    private static string Begun(RunRow run, PlanRow plan)
    {
        var approved = run.ApprovedBy is { } approver ? $", {approver} approved it" : "";
        var ended = run.EndedAt is { } end ? $"it ended at {When(end)}" : $"it is {run.State.Word()}";
        return $"Plan {run.Plan} (digest {plan.Digest}) was made by {plan.MadeBy} at {When(plan.MadeAt)}. "
            + $"{run.StartedBy} started the run at {When(run.StartedAt)}{approved}; {ended}.";
    }

    /// <summary>A room: how its machines stand, their volumes, and where every relocated holding lives.</summary>
    /// <exception cref="RefusedException"/>
    public Task<Report> OfRoomAsync(string room, string who, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var machines = await db.Machines.Where(m => m.Room == room).OrderBy(m => m.Name).ToListAsync(stop);
                if (machines.Count == 0)
                    throw RefusedException.Missing($"room {room}", "See `furlough machine list`.");
                var ids = machines.ConvertAll(m => m.Id);
                var relocations = (
                    await db.Relocations.Where(r => ids.Contains(r.Machine)).OrderBy(r => r.Number).ToListAsync(stop)
                ).ToLookup(r => r.Machine);
                var originals = (await db.Originals.Where(o => ids.Contains(o.Machine)).ToListAsync(stop)).ToLookup(o =>
                    o.Machine
                );
                var surveys = await Surveys.OfAsync(db, ids, stop);
                List<RelocationView> rows = [];
                List<IReadOnlyList<string>> standings = [];
                foreach (var machine in machines)
                {
                    var (stored, _) = Summaries.Of(
                        machine,
                        surveys.GetValueOrDefault(machine.Id),
                        [.. relocations[machine.Id]],
                        [.. originals[machine.Id]]
                    );
                    var summary = Summaries.Now(stored, live);
                    standings.Add([
                        machine.Name,
                        $"{summary.Standing.Shape()} {summary.Standing.Word()}",
                        summary.OperatingSystem ?? "",
                        summary.SurveyedAt is { } at ? When(at) : "never",
                        $"{summary.Holdings}",
                        Words.Size(summary.DataBytes),
                        summary.Attention ?? "",
                    ]);
                    rows.AddRange(
                        relocations[machine.Id]
                            .GroupBy(r => (r.Account, r.Holding))
                            .Select(g =>
                                RelocationViews.Of(g.Last(), SeenMachine.Of(machine), live, hasOriginal: false)
                            )
                    );
                }
                var space = await SpaceOfAsync(db, machines, [], stop);
                return new Report(
                    $"Room {room}",
                    time.GetUtcNow(),
                    who,
                    [
                        $"{Words.Count(machines.Count, "machine")} with {Words.Count(rows.Count, "relocated or planned holding")}.",
                        BasisOf(machines),
                        .. Kept(space),
                    ],
                    space,
                    [
                        new ReportTable(
                            "Machines",
                            "How they stand",
                            ["machine", "standing", "system", "surveyed", "holdings", "data", "attention"],
                            standings
                        ),
                        OfFailures(rows),
                        OfRelocations(rows),
                    ]
                );
            },
            stop
        );

    /// <summary>An audit: its findings.</summary>
    public Task<Report> OfAuditAsync(long number, string who, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var audit = await Find.AuditAsync(db, number, stop);
                var findings = Column.Read(audit.Findings, ModelJson.Default.IReadOnlyListFinding);
                var found =
                    findings.Count == 0
                        ? "everything that was looked at is as it should be"
                        : Words.Count(findings.Count, "finding");
                return new Report(
                    $"Audit {number}",
                    time.GetUtcNow(),
                    who,
                    [
                        $"{audit.MadeBy} had {Words.Count(audit.Machines, "machine")} compared with what is "
                            + $"intended at {When(audit.MadeAt)}: "
                            + $"{found}.",
                        .. AuditDesk.BasisOf(audit.Basis) is { } basis ? (string[])[basis.ToString()] : [],
                    ],
                    [],
                    [
                        new ReportTable(
                            "Findings",
                            "What is not as it should be, worst first",
                            ["severity", "code", "machine", "account", "what", "what to do"],
                            [
                                .. findings.Select(f =>
                                    (string[])[f.Severity.Word(), f.Code, f.Machine, f.Account ?? "", f.Text, f.Remedy]
                                ),
                            ]
                        ),
                    ]
                );
            },
            stop
        );

    private static ReportTable OfMachines(List<RelocationView> rows) =>
        new(
            "Machines",
            "What became of the relocations of each",
            ["machine", "room", "wave", "relocations", "at the target", "data at the target", "others"],
            [
                .. rows.GroupBy(r => r.Machine)
                    .Select(g =>
                        (string[])
                            [
                                g.Key,
                                g.First().Room,
                                g.First().Wave,
                                $"{g.Count()}",
                                $"{g.Count(IsDone)}",
                                Words.Size(g.Where(IsDone).Sum(r => r.DataBytes)),
                                string.Join(
                                    ", ",
                                    g.Where(r => !IsDone(r))
                                        .GroupBy(r => r.State)
                                        .Select(s => $"{s.Count()} {s.Key.Word()}")
                                ),
                            ]
                    ),
            ]
        );

    private static ReportTable OfFailures(List<RelocationView> rows) =>
        new(
            "Failures",
            "What failed, was refused or skipped, by cause",
            ["cause", "no.", "machine", "holding", "what happened, where the data lives, what to do"],
            [
                .. rows.Where(r => r.Failure is not null && r.State.IsAtRest())
                    .OrderBy(r => r.Failure!.Code, StringComparer.Ordinal)
                    .ThenBy(r => r.Number)
                    .Select(r =>
                        (string[])
                            [
                                r.Failure!.Code,
                                $"{r.Number}",
                                r.Machine,
                                HoldingName.InWords(r.Holding, r.Account),
                                r.Failure.InFull(),
                            ]
                    ),
            ]
        );

    private static ReportTable OfRelocations(List<RelocationView> rows) =>
        new(
            "Relocations",
            "Where the data lives",
            ["no.", "machine", "account", "holding", "state", "live at", "files", "bytes", "source", "target"],
            [
                .. rows.Select(r =>
                    (string[])
                        [
                            $"{r.Number}",
                            r.Machine,
                            r.Account,
                            r.Holding,
                            r.State.Word(),
                            r.Live.Word(),
                            $"{r.Files}",
                            $"{r.DataBytes}",
                            r.Source,
                            r.Target,
                        ]
                ),
            ]
        );

    /// <summary>The volumes of machines as they are, and as the plan found them.</summary>
    private static async Task<IReadOnlyList<VolumeChange>> SpaceOfAsync(
        FurloughDb db,
        List<MachineRow> machines,
        IReadOnlyList<PlannedMachine> planned,
        CancellationToken stop
    )
    {
        var ids = machines.ConvertAll(m => m.Id);
        var originals = (await db.Originals.Where(o => ids.Contains(o.Machine)).ToListAsync(stop))
            .Select(o => (o.Machine, Kept: Column.Read(o.Body, ModelJson.Default.OriginalFacts)))
            .ToLookup(o => (o.Machine, o.Kept.Source.Volume), o => o.Kept.DataBytes);
        var surveys = await Surveys.OfAsync(db, ids, stop);
        List<VolumeChange> space = [];
        foreach (var machine in machines)
        {
            var (reserves, before) = (Column.ReservesOf(machine), planned.FirstOrDefault(p => p.Machine == machine.Id));
            foreach (var volume in surveys.GetValueOrDefault(machine.Id)?.Volumes ?? [])
            {
                var key = volume.Identity.Key;
                space.Add(
                    new VolumeChange(
                        machine.Name,
                        volume.Root,
                        volume.System,
                        volume.SizeBytes,
                        before?.Volumes.FirstOrDefault(v => v.Volume == key)?.FreeBytes,
                        volume.FreeBytes,
                        reserves.GetValueOrDefault(key),
                        originals[(machine.Id, key)].Sum()
                    )
                );
            }
        }
        return space;
    }

    private string BasisOf(List<MachineRow> machines) =>
        Basis.Of(machines.ConvertAll(m => (m.SurveyedAt, live.IsSilent(m.Id, m.LastSeen)))).ToString();

    private static IEnumerable<string> Kept(IReadOnlyList<VolumeChange> space) =>
        space.Sum(v => v.OriginalBytes) is > 0 and var bytes
            ?
            [
                $"Originals of {Words.Size(bytes)} are kept on the former volumes (hatched): their space is free when they are discarded.",
            ]
            : [];

    private static bool IsDone(RelocationView r) => r.State is RelocationState.Switched or RelocationState.Finished;

    private static string When(DateTimeOffset at) => $"{at.UtcDateTime:yyyy-MM-dd HH:mm}Z";
}
