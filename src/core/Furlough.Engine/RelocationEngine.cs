// The engine upholds these; docs/durability.md tells what follows from each.
//   I1  No byte of a source or original is changed from the end of quiesce to discard.
//   I2  The live place is complete at every instant; recovery reads the pointers as they are.
//   I3  Repoint only after prove; prove reads the medium; the source is compared once more before reopen.
//   I4  A step's intention is durable before its first effect, its end only after its effects are.
//   I5  Each step reads reality, then does what is missing.
//   I6  A pointer's own former value is kept and put back; containers are edited by compare-and-swap.
//   I7  Nothing that exists at the target is overwritten.
//   I8  Walking, writing and deleting work relative to open handles and follow no link.
//   I9  The agent compares before it acts.
//   I10 Discard confirms everything again; time alone deletes nothing.
//   I11 A volume is addressed by verified identity and marker.
//   I12 Nobody who could not read the source can read target, staging folder or receipt.
using Furlough.Engine.Ports;
using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>Carries out dockets, one at a time, and takes up what a crash cut short. The step classes do the work; this decides what comes next.</summary>
public sealed class RelocationEngine(IMachine machine, IJournal journal, IPermits permits, IReceiptSigner signer, TimeProvider time)
{
    private const string ParkedFor = "parked-for", ParkedSaying = "parked-saying";

    /// <summary>How long an account is kept out for a service that does not answer, before the docket is undone.</summary>
    private static readonly TimeSpan LongestAwayWhileQuiesced = TimeSpan.FromMinutes(5);

    private readonly Desk _desk = new(machine.Activity, time);
    private readonly WriteWatches _watches = new();

    /// <summary>The names of a docket's steps, in sequence.</summary>
    public static IEnumerable<Step> SequenceOf(Docket docket) => Itinerary.Of(docket).Select(s => s.Name);

    /// <summary>Carries a docket out to its end, or goes on where it was cut short.</summary>
    /// <returns>The final state.</returns>
    /// <exception cref="OperationCanceledException">Stopped at a safe point; call again to go on.</exception>
    public RelocationState Run(Docket docket, IWatcher watcher, CancellationToken stop)
    {
        var work = new Work(docket, machine, _desk, _watches, journal, permits, signer, watcher, time, stop);
        var state = journal.Read(docket.Id);
        if (state.Ended is { } ended) return ended;
        machine.Activity.GiveWay(docket.Terms.GiveWay);
        try
        {
            var reached = state.Undoing is { } cause ? BackOut(work, cause) : IsStillParked(work) ? RelocationState.Waiting : CarryOut(work);
            if (reached != RelocationState.Waiting) _watches.End(docket.Id);
            return reached;
        }
        finally
        {
            if (docket.Terms.GiveWay) machine.Activity.GiveWay(false);
        }
    }

    private RelocationState CarryOut(Work work)
    {
        var docket = work.Docket;
        var inOneGo = journal.Read(docket.Id).Begun is null;
        foreach (var method in Itinerary.Of(docket))
        {
            var step = method.Name;
            if (journal.Read(docket.Id).Done.Contains(step)) continue;
            work.Stop.ThrowIfCancellationRequested();
            try
            {
                if (!IsPastReturn(work)) work.Heed();
                RequirePermit(work, step);
                work.Changed(work.UnderWay, step);
                if (journal.Read(docket.Id).Begun is null) machine.Floor?.Require(docket, journal);
                RequireSequence(docket, step);
                StepStates.RequireEntering(work, step);
                var begun = time.GetTimestamp();
                journal.Begin(docket.Id, step);
                method.Perform(work);
                StepStates.RequireLeaving(work, step);
                journal.Done(docket.Id, step);
                if (inOneGo) work.Took(step, time.GetElapsedTime(begun));
            }
            catch (Parked parked)
            {
                return Park(work, step, parked);
            }
            catch (Fault fault)
            {
                return Stopped(work, step, fault);
            }
            catch (Exception unforeseen) when (unforeseen is IOException or UnauthorizedAccessException or FormatException or InvalidOperationException)
            {
                return Stopped(work, step, new Fault("unforeseen", $"{step.Word()} met something unforeseen ({unforeseen.Message}).", "Look at the agent's log, then {retry}."));
            }
            finally
            {
                work.Release();
            }
        }
        return End(work);
    }

    /// <summary>Puts the docket away until what stands in its way is gone; what is copied and proven stays.</summary>
    private static RelocationState Park(Work work, Step step, Parked parked)
    {
        work.Note(ParkedFor, parked.Why.Code);
        work.Note(ParkedSaying, parked.Why.Message);
        work.Waits(step, parked.Why);
        return RelocationState.Waiting;
    }

    /// <summary>Whether the docket was put away for a reason that still holds.</summary>
    private bool IsStillParked(Work work)
    {
        if (work.Noted(ParkedFor) is not { Length: > 0 } reason) return false;
        var wish = permits.WishOf(work.Docket.Id);
        var goesOn = wish == Wish.BackOut || time.GetUtcNow() >= work.Docket.NotAfter;
        if (reason == Faults.PersonToldCode && (goesOn || wish.Rests())) _desk.Forget(work.Docket.Holding.Account);
        if (!goesOn && (wish.Rests() || StillHolds(work, reason))) return true;
        work.Note(ParkedFor, "");
        return false;
    }

    /// <summary>Who puts the work off is a reason of its own, to be reported.</summary>
    private bool StillHolds(Work work, string reason) =>
        reason == Faults.PersonToldCode ? _desk.Waits(work.Docket)?.Message == work.Noted(ParkedSaying) : Faults.IsInTheWay(reason) && QuiesceStep.InTheWay(work) is not null;

    private static bool IsPastReturn(Work work) => work.Noted(ReopenStep.Compared) is not null;

    /// <summary>From quiesce (where nobody is kept out: from repoint) a permit is needed; what is repointed is finished with or without one.</summary>
    private void RequirePermit(Work work, Step step)
    {
        var begun = journal.Read(work.Docket.Id).Begun;
        if (step == Step.Discard ? begun is not null : begun >= Step.Repoint || SequenceOf(work.Docket).TakeWhile(s => s is not (Step.Quiesce or Step.Repoint)).Contains(step)) return;
        if (permits.Holds(work.Docket.Id)) return;
        TimeSpan? most = IsQuiesced(work) ? LongestAwayWhileQuiesced : null;
        switch (permits.Await(work.Docket, most, () => work.Waits(step, Faults.NoPermit()), work.Stop))
        {
            case PermitAnswer.Refused:
                throw new Fault("permit-refused", "The run was halted before this relocation's turn.", "Start it again with {retry} when the run may go on.");
            case PermitAnswer.NotNow:
                throw new Parked(Faults.NotNow(permits.WishOf(work.Docket.Id)));
            case PermitAnswer.Expired when most is not null:
                throw new Fault("permit-expired", $"The permit expired and the service did not answer for {LongestAwayWhileQuiesced.TotalMinutes:0} minutes, while the account was kept out.", "Check the connection to the service, then {retry}.");
            case PermitAnswer.Expired:
                throw new Fault("docket-expired", "The service did not answer within the docket's time.", "Check the connection to the service, then {retry}.");
        }
    }

    private bool IsQuiesced(Work work) => journal.Read(work.Docket.Id).Done.Contains(Step.Quiesce);

    /// <summary>A step is entered only when every step before it is durable (I3, I4).</summary>
    private void RequireSequence(Docket docket, Step step)
    {
        var done = journal.Read(docket.Id).Done;
        if (SequenceOf(docket).TakeWhile(s => s != step).Any(s => !done.Contains(s)))
            throw new InvalidOperationException($"{step.Word()} cannot begin: a step before it is not done.");
    }

    private RelocationState Stopped(Work work, Step step, Fault fault)
    {
        if (work.Docket.Work == DocketWork.Discard)
        {
            var failure = FailureText.Of(work, fault, "The holding lives where it did; the original is still there or partly removed.");
            work.Changed(RelocationState.Failed, step, failure);
            journal.End(work.Docket.Id, RelocationState.Failed);
            return RelocationState.Failed;
        }
        if (IsPastReturn(work))
        {
            var failure = FailureText.Of(work, fault, $"The data lives at {work.LivePlaceInWords()}{(work.KeepsOriginal ? "; the original is kept" : "")}.{LetInAfterAll(work)}", isLive: true);
            work.Changed(RelocationState.Failed, step, failure);
            journal.End(work.Docket.Id, RelocationState.Failed);
            return RelocationState.Failed;
        }
        return BackOut(work, FailureText.Of(work, fault, ""));
    }

    private RelocationState BackOut(Work work, Failure cause)
    {
        if (journal.Read(work.Docket.Id).Undoing is null) journal.Undo(work.Docket.Id, cause);
        var at = journal.Read(work.Docket.Id).Begun;
        work.Changed(RelocationState.BackingOut, at, cause);
        var final = cause.Code is "permit-refused" or "docket-expired" or "permit-expired" or "backed-out-by-hand" ? RelocationState.BackedOut : RelocationState.Failed;
        try
        {
            foreach (var left in Undo.Run(work)) work.Report(left);
            OwnFolders.Tidy(work);
            cause = cause with
            {
                Where = work.Docket.Work.MovesHolding() ? $"Nothing has changed; {work.LiveInWords()}."
                    : $"The former place is as it was; the holding lives at `{machine.Volumes.Show(work.Docket.Target)}`.",
            };
        }
        catch (Fault fault)
        {
            cause = cause with { Where = $"Backing out stopped ({fault.Message.TrimEnd('.')}); source and target are both complete and {work.LiveInWords()}.{LockedOut(work)}" };
            final = RelocationState.Failed;
        }
        finally
        {
            work.Release();
        }
        work.Changed(final, at, cause);
        journal.End(work.Docket.Id, final);
        return final;
    }

    /// <summary>The holding is complete where its settings lead, so its account may sign in, whatever else failed; says so where it still cannot.</summary>
    private static string LetInAfterAll(Work work)
    {
        try { QuiesceStep.LetIn(work); }
        catch (Fault)
        {
            // Why it cannot is said already: it is what stopped the docket.
        }
        return LockedOut(work);
    }

    private static string LockedOut(Work work) => QuiesceStep.IsKeptOut(work)
        ? $" {work.Docket.Holding.Account} is still kept from signing in; `furlough-agent let-in {work.Docket.Holding.Account}` at the machine lets the person in."
        : "";

    private RelocationState End(Work work)
    {
        var docket = work.Docket;
        OriginalBack.RemoveEmptied(work);
        OwnFolders.Tidy(work);
        if (docket.Work == DocketWork.Return && OriginalBack.Of(work) is not null) work.Report("What lived there was equal to the original in every byte: the original was renamed back, nothing was copied.");
        var final = docket switch
        {
            { Work: DocketWork.Discard } => RelocationState.Finished,
            { Work: DocketWork.Return or DocketWork.FallBack } => RelocationState.Returned,
            { Work: DocketWork.Gather } => RelocationState.Switched,
            { Method: Method.Exchange or Method.Setting } => RelocationState.Finished,
            _ => RelocationState.Switched,
        };
        var original = work.KeepsOriginal
            ? new OriginalFacts(docket.Id, docket.Holding, docket.Source, time.GetUtcNow(), docket.Files, docket.DataBytes, false, null)
            : null;
        // Told before it is ended: a crash in between tells it twice, never not at all.
        work.Changed(final, Itinerary.Of(docket)[^1].Name, original: original, liveAgain: OriginalBack.Of(work));
        journal.End(docket.Id, final);
        return final;
    }
}
