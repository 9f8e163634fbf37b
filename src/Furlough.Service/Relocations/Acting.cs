using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>What people ask for on one relocation: each becomes a docket of its own, or a wish.</summary>
public sealed class Acting(Store store, DocketDesk desk, RunControl control, LiveHub live, TimeProvider time)
{
    private const int LongestReason = 1_000;

    /// <summary>Tries a relocation again.</summary>
    /// <exception cref="RefusedException"><c>blocked</c>, <c>already-at-target</c></exception>
    public Task<RelocationView> RetryAsync(long number, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            RelocationRequest.Retry,
            async (db, row) =>
            {
                if (Column.PlannedOf(row).Blocked is [var code, ..])
                    throw RefusedException.Conflict(
                        "blocked",
                        $"Relocation {number} was refused because of the hazard {code}, and a retry would meet it again.",
                        "Remove the hazard and make a new plan."
                    );
                if (row.Live == Live.Target)
                    throw RefusedException.Conflict(
                        "already-at-target",
                        $"The data of relocation {number} lives at its target already.",
                        $"`furlough relocation return {number}` takes it back."
                    );
                await desk.IssueRelocateAsync(db, row, byItself: true, stop);
            },
            stop
        );

    /// <summary>Someone decides that it will not be done, and says why; it stands in nobody's way any more.</summary>
    /// <exception cref="RefusedException"><c>reason-missing</c>, <c>already-at-target</c></exception>
    public async Task<RelocationView> SkipAsync(long number, string reason, string who, CancellationToken stop)
    {
        if (string.IsNullOrWhiteSpace(reason) || reason.Length > LongestReason || reason.Any(char.IsControl))
            throw new RefusedException(
                RefusalKind.Malformed,
                "reason-missing",
                $"A relocation is skipped with a reason of at most {LongestReason} printable characters.",
                $"`furlough relocation skip {number} --reason \"...\"`."
            );
        return await ActAsync(
            number,
            who,
            RelocationRequest.Skip,
            async (db, row) =>
            {
                if (row.Live == Live.Target)
                    throw RefusedException.Conflict(
                        "already-at-target",
                        $"The data of relocation {number} lives at its target already.",
                        $"`furlough relocation return {number}` takes it back, `furlough audit make` says what is not as it should be."
                    );
                var before = row.Failure is null ? null : Column.Read(row.Failure, ModelJson.Default.Failure);
                var planned = Column.PlannedOf(row);
                var calledBack =
                    row.State == RelocationState.Queued && await DocketDesk.WithdrawAsync(db, row, stop)
                        ? await CalledBackAsync(db, row, stop)
                        : null;
                return new Failure(
                    "skipped",
                    $"The relocation of {HoldingName.InWords(row.Holding, row.Account)} was skipped by {who}: "
                        + $"{reason.Trim().TrimEnd('.')}.{(before is null ? "" : $" Before that: {before.Text}")}",
                    calledBack ?? $"Nothing has changed; {planned.LivesInWords}.",
                    ""
                )
                {
                    Next = NextStep.Retry,
                    Relocation = number,
                };
            },
            stop
        );
    }

    /// <summary>Takes a holding back to its former place.</summary>
    /// <exception cref="RefusedException"><c>relocated-since</c></exception>
    public Task<RelocationView> ReturnAsync(long number, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            RelocationRequest.Return,
            async (db, row) =>
            {
                if (
                    await db.Relocations.AnyAsync(
                        r =>
                            r.Machine == row.Machine
                            && r.Account == row.Account
                            && r.Holding == row.Holding
                            && r.Number > row.Number
                            && (r.State == RelocationState.Switched || r.State == RelocationState.Finished),
                        stop
                    )
                )
                    throw RefusedException.Conflict(
                        "relocated-since",
                        $"{HoldingName.InWords(row.Holding, row.Account)} was relocated again after relocation {number}.",
                        "Return the later relocation first."
                    );
                await desk.IssueReturnAsync(db, row, stop);
            },
            stop
        );

    /// <summary>
    /// Makes the original live again after its target was lost. Anyone who asks for it names the time from which work
    /// is missing.
    /// </summary>
    /// <exception cref="RefusedException"><c>no-original</c>, <c>consent-missing</c></exception>
    public Task<RelocationView> FallBackAsync(
        long number,
        DateTimeOffset? missingFrom,
        string who,
        CancellationToken stop
    ) =>
        ActAsync(
            number,
            who,
            RelocationRequest.FallBack,
            async (db, row) =>
            {
                var original = await db
                    .Originals.Where(o => o.Relocation == number)
                    .OrderByDescending(o => o.KeptUntil)
                    .FirstOrDefaultAsync(stop)
                    ?? throw RefusedException.Conflict(
                        "no-original",
                        $"Relocation {number} keeps no original, so there is nothing to fall back to.",
                        "Restore the data from a backup."
                    );
                var facts = Column.Read(original.Body, ModelJson.Default.OriginalFacts);
                if (missingFrom is not { } named || (named - facts.SetAside).Duration() > TimeSpan.FromMinutes(1))
                    throw RefusedException.Conflict(
                        "consent-missing",
                        $"The original of {HoldingName.InWords(row.Holding, row.Account)} was set aside at "
                            + $"{facts.SetAside:yyyy-MM-dd HH:mm}Z; all work since then is missing after falling back.",
                        $"If that is accepted: `furlough relocation fall-back {number} --missing-from {facts.SetAside:yyyy-MM-ddTHH:mm}Z`."
                    );
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.LossAccepted,
                    About.Relocation(number),
                    detail: $"work since {facts.SetAside:u}"
                );
                await desk.IssueFallBackAsync(db, row, facts, stop);
            },
            stop
        );

    /// <summary>What is known of a relocation whose docket its machine may have although it was called back.</summary>
    private async Task<string> CalledBackAsync(FurloughDb db, RelocationRow row, CancellationToken stop)
    {
        var machine = await db.Machines.FindAsync([row.Machine], stop);
        var silent =
            machine is not null && live.IsSilent(machine.Id, machine.LastSeen)
                ? $" {machine.Name} is silent: as soon as it is seen again, it undoes what it may have begun, and "
                    + "if it had switched before, that is shown here."
                : " The machine undoes what it may have begun.";
        return "Its docket may have reached the machine and was called back; when last seen, "
            + $"{Column.PlannedOf(row).LivesInWords}.{silent}";
    }

    /// <summary>
    /// Asks a machine to undo what is under way, as long as that can be done. What its machine cannot have yet is
    /// called back at once.
    /// </summary>
    public async Task<RelocationView> BackOutAsync(long number, string who, CancellationToken stop)
    {
        return await WishAsync(
            number,
            who,
            RelocationRequest.BackOut,
            async (db, row) =>
            {
                if (
                    row.State == RelocationState.Queued
                    && row.Docket is { } id
                    && await db.Dockets.FindAsync([id], stop) is { HandedAt: null, Work: DocketWork.Relocate } docket
                )
                {
                    docket.Withdrawn = true;
                    row.Ask(
                        RelocationRequest.CallBack,
                        time.GetUtcNow(),
                        new Failure(
                            FaultKinds.BackedOutByHand.Code,
                            $"The relocation of {HoldingName.InWords(row.Holding, row.Account)} was backed out by "
                                + $"{who} before its machine had fetched the docket.",
                            $"Nothing has changed; {Column.PlannedOf(row).LivesInWords}.",
                            ""
                        )
                        {
                            Next = NextStep.Retry,
                            Relocation = number,
                        }
                    );
                    return;
                }
                RelocationRequest.BackOut.Require(row);
                row.BackOutWanted = true;
            },
            stop
        );
    }

    /// <summary>Someone is at the machine: an attended relocation may begin.</summary>
    /// <exception cref="RefusedException"><c>not-attended</c>, <c>begun-already</c></exception>
    public Task<RelocationView> BeginAsync(long number, string who, CancellationToken stop) =>
        WishAsync(
            number,
            who,
            RelocationRequest.Begin,
            (db, row) =>
            {
                if (!Column.PlannedOf(row).Attended)
                    throw RefusedException.Conflict(
                        "not-attended",
                        $"Relocation {number} needs nobody at its machine.",
                        "It begins automatically."
                    );
                if (row.BegunBy is { } already)
                    throw RefusedException.Conflict(
                        "begun-already",
                        $"Relocation {number} was begun by {already}.",
                        $"`furlough relocation show {number}` tells how far it is."
                    );
                RelocationRequest.Begin.Require(row);
                row.BegunBy = who;
                return Task.CompletedTask;
            },
            stop
        );

    /// <summary>Asks for something that travels with the machine's polls, not as a docket.</summary>
    private Task<RelocationView> WishAsync(
        long number,
        string who,
        RelocationRequest request,
        Func<FurloughDb, RelocationRow, Task> ask,
        CancellationToken stop
    ) =>
        store.WriteAsync(
            async db =>
            {
                var row = await Find.RelocationAsync(db, number, stop);
                var before = row.State;
                await ask(db, row);
                return await DoneAsync(db, row, request, before, who, stop);
            },
            stop
        );

    /// <summary>Removes one original, on the grounds given.</summary>
    /// <param name="why">What the history keeps of the decision; null where nothing had to be decided.</param>
    public Task<RelocationView> DiscardAsync(
        long number,
        OriginalRow original,
        DiscardTerms terms,
        string? why,
        string who,
        CancellationToken stop
    ) =>
        ActAsync(
            number,
            who,
            RelocationRequest.Discard,
            async (db, row) =>
            {
                if (why is not null)
                    db.Record(
                        time.GetUtcNow(),
                        who,
                        HistoryEvent.DiscardDecided,
                        About.Relocation(number),
                        detail: why
                    );
                await desk.IssueDiscardAsync(
                    db,
                    row,
                    Column.Read(original.Body, ModelJson.Default.OriginalFacts),
                    terms,
                    stop
                );
            },
            stop
        );

    /// <summary>Copies what stands again at the former place into a folder of its own in the live place.</summary>
    /// <exception cref="RefusedException"><c>place-in-use</c></exception>
    public Task<RelocationView> GatherAsync(long number, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            RelocationRequest.Gather,
            async (db, row) =>
            {
                var planned = Column.PlannedOf(row);
                var (former, shown) =
                    row.Live == Live.Source
                        ? (planned.Target, planned.TargetShown)
                        : (planned.Source, planned.SourceShown);
                var survey = await Surveys.OfAsync(db, row.Machine, stop);
                if (survey?.Holdings.FirstOrDefault(h => h.Place == former) is { } other)
                    throw RefusedException.Conflict(
                        "place-in-use",
                        $"`{shown}` is where {other.Name} lives now.",
                        "What stands there belongs to it and is left alone."
                    );
                await desk.IssueGatherAsync(
                    db,
                    row,
                    survey?.Originals.FirstOrDefault(o => o.Source == former)?.Recreated,
                    stop
                );
            },
            stop
        );

    /// <summary>Asks for something that changes the state at once.</summary>
    /// <param name="act">What is to be said of the relocation in its new state, or null.</param>
    private Task<RelocationView> ActAsync(
        long number,
        string who,
        RelocationRequest request,
        Func<FurloughDb, RelocationRow, Task<Failure?>> act,
        CancellationToken stop
    ) =>
        store.WriteAsync(
            async db =>
            {
                var row = await Find.RelocationAsync(db, number, stop);
                request.Require(row);
                var before = row.State;
                row.Ask(request, time.GetUtcNow(), await act(db, row));
                return await DoneAsync(db, row, request, before, who, stop);
            },
            stop
        );

    private Task<RelocationView> ActAsync(
        long number,
        string who,
        RelocationRequest request,
        Func<FurloughDb, RelocationRow, Task> act,
        CancellationToken stop
    ) =>
        ActAsync(
            number,
            who,
            request,
            async (db, row) =>
            {
                await act(db, row);
                return null;
            },
            stop
        );

    private async Task<RelocationView> DoneAsync(
        FurloughDb db,
        RelocationRow row,
        RelocationRequest request,
        RelocationState before,
        string who,
        CancellationToken stop
    )
    {
        db.Record(
            time.GetUtcNow(),
            who,
            request.Event,
            About.Relocation(row.Number),
            before.Word(),
            row.State == before ? null : row.State.Word()
        );
        db.Effects.Wake(row.Machine);
        db.Effects.Say("relocation", row.Number);
        db.Effects.Say("machine", row.Machine);
        await db.SaveChangesAsync(stop);
        // Its run may have nothing further to do.
        if (row.State.IsAtRest())
            await control.AdvanceAsync(db, row.Run, stop);
        return await RelocationViews.OfAsync(db, row, live, stop);
    }
}
