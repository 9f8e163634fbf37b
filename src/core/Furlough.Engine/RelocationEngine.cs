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
using System.Collections.Concurrent;
using Furlough.Engine.Context;
using Furlough.Engine.Methods;
using Furlough.Engine.Originals;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>
/// Carries out dockets and takes up what a crash cut short. The step classes do the work; this decides what comes next.
/// Several dockets can be carried out at once, on a thread each, if <see cref="DocketQueue"/> says that they need
/// nothing of each other.
/// </summary>
public sealed class RelocationEngine(
    IMachine machine,
    IJournal journal,
    IPermits permits,
    IReceiptSigner signer,
    TimeProvider time
) : IDisposable
{
    /// <summary>
    /// How long an account is locked out for a service that does not answer, before the docket is undone.
    /// </summary>
    private static readonly TimeSpan LongestAwayWhileQuiesced = TimeSpan.FromMinutes(5);

    private readonly EngineParts _parts = new(
        machine,
        journal,
        permits,
        signer,
        new Desk(machine.Activity, time),
        new WriteWatches(),
        new SpaceLedger(),
        time
    );

    /// <summary>What was reported about dockets that cannot even be looked at.</summary>
    private readonly ConcurrentDictionary<Guid, string> _defects = new();

    /// <summary>Ends what the engine watches. Dockets go on by another engine with the same journal.</summary>
    public void Dispose() => _parts.Watches.Dispose();

    /// <summary>The names of a docket's steps, in order.</summary>
    public static IEnumerable<Step> SequenceOf(Docket docket) =>
        Procedures.Of(docket, StepRecordSet.Empty).Steps.Select(s => s.Name);

    /// <summary>Carries a docket out to its end, or goes on where it was cut short.</summary>
    /// <returns>The final state.</returns>
    /// <exception cref="OperationCanceledException">Stopped at a safe point; call again to go on.</exception>
    public RelocationState Run(Docket docket, IWatcher watcher, CancellationToken stop)
    {
        machine.Activity.GiveWay(docket.Terms.GiveWay);
        try
        {
            var reached = Run(new StepContext(docket, _parts, watcher, stop));
            if (reached != RelocationState.Waiting)
                _parts.Watches.End(docket.Id);
            _defects.TryRemove(docket.Id, out _);
            return reached;
        }
        catch (Exception defect) when (defect is Fault || IsDefect(defect))
        {
            return PutAside(docket, watcher, defect);
        }
        finally
        {
            if (docket.Terms.GiveWay)
                machine.Activity.GiveWay(false);
        }
    }

    private RelocationState Run(StepContext context)
    {
        var state = context.Journal.State;
        if (state.Ended is { } ended)
            return ended;
        if (state.Undoing is { } cause)
            return BackOut(context, cause);
        return IsStillParked(context) ? RelocationState.Waiting : CarryOut(context);
    }

    /// <summary>Neither a stop that was asked for nor a death, after both of which the docket goes on later.</summary>
    private static bool IsDefect(Exception exception) =>
        exception is not (OperationCanceledException or CutShortException);

    private static Fault Met(StepContext context, Step? step, Exception defect)
    {
        context.Report.Met(defect);
        return Faults.Unforeseen(step, defect);
    }

    /// <summary>
    /// Something failed outside of any step: the docket is looked at again later, and the others go on. Told once.
    /// </summary>
    private RelocationState PutAside(Docket docket, IWatcher watcher, Exception defect)
    {
        if (_defects.TryGetValue(docket.Id, out var told) && told == defect.Message)
            return RelocationState.Waiting;
        _defects[docket.Id] = defect.Message;
        watcher.Met(docket, defect);
        var failure = FailureText.Of(
            docket,
            defect as Fault ?? Faults.Unforeseen(null, defect),
            "What was begun stays as it is; the data lives where the settings lead.",
            waits: true
        );
        watcher.Changed(
            new RelocationChange(docket, RelocationState.Waiting, null, Live.Unknown, failure, [], null, [])
        );
        return RelocationState.Waiting;
    }

    private RelocationState CarryOut(StepContext context)
    {
        var docket = context.Docket;
        var inOneGo = journal.Read(docket.Id).Begun is null;
        while (Next(context) is { } next)
        {
            var step = next.Name;
            context.Stop.ThrowIfCancellationRequested();
            try
            {
                if (!IsPastReturn(context))
                    context.Heed();
                RequirePermit(context, next);
                context.Report.Changed(context.Docket.Work.UnderWay(), step);
                if (journal.Read(docket.Id).Begun is null)
                    machine.Floor?.Require(docket, journal);
                RequireState(context, step, next.Entering, "entered");
                var begun = time.GetTimestamp();
                journal.Begin(docket.Id, step);
                next.Perform(context);
                RequireState(context, step, next.Leaving, "left");
                journal.Done(docket.Id, step);
                if (inOneGo)
                    context.Report.Took(step, time.GetElapsedTime(begun));
            }
            catch (Parked parked)
            {
                return Park(context, step, parked);
            }
            catch (Fault fault)
            {
                return Stopped(context, step, fault);
            }
            catch (Exception defect) when (IsDefect(defect))
            {
                return Stopped(context, step, Met(context, step, defect));
            }
            finally
            {
                context.Places.Release();
            }
        }
        return End(context);
    }

    /// <summary>The first step that is not done: every step before it is durable (I3, I4). Null when all are.</summary>
    private IStep? Next(StepContext context)
    {
        var done = journal.Read(context.Docket.Id).Done;
        return context.Procedure.Steps.FirstOrDefault(s => !done.Contains(s.Name));
    }

    /// <summary>Reality must be as a step declares it.</summary>
    /// <exception cref="Fault"><c>pointer-changed</c>: someone changed a setting since the step before.</exception>
    /// <exception cref="InvalidOperationException">The engine itself is wrong.</exception>
    private static void RequireState(StepContext context, Step step, StepState state, string moment)
    {
        if (state.Leads == Live.Source)
            context.Settings.RequireAtSource();
        if (state.Leads == Live.Target)
            context.Settings.RequireAtTarget();
        if (state.IsHeld == true ? !context.Holds.AreTaken : state.IsHeld == false && context.Holds.Any)
            throw new InvalidOperationException($"{step.Word()} was {moment}, and its holds are not as it wants them.");
    }

    /// <summary>Puts the docket away until what stands in its way is gone; what is copied and proven stays.</summary>
    private static RelocationState Park(StepContext context, Step step, Parked parked)
    {
        context.Journal.Record(new PutAway(parked.Why.Kind.Code, parked.Why.Message));
        context.Report.Waits(step, parked.Why);
        return RelocationState.Waiting;
    }

    /// <summary>Whether the docket was put away for a reason that still holds.</summary>
    private bool IsStillParked(StepContext context)
    {
        if (context.Journal.Records.Find<PutAway>() is not { } reason)
            return false;
        var wish = permits.WishOf(context.Docket.Id);
        var goesOn = wish == Wish.BackOut || time.GetUtcNow() >= context.Docket.NotAfter;
        if (FaultKinds.Find(reason.Code) == FaultKinds.PersonTold && (goesOn || wish.Rests()))
            _parts.Desk.Forget(context.Docket.Holding.Account);
        if (!goesOn && (wish.Rests() || StillHolds(context, reason)))
            return true;
        context.Journal.Forget(reason);
        return false;
    }

    /// <summary>Who puts the work off is a reason of its own, to be reported.</summary>
    private bool StillHolds(StepContext context, PutAway reason)
    {
        var kind = FaultKinds.Find(reason.Code);
        if (kind == FaultKinds.PersonTold)
            return _parts.Desk.Waits(context.Docket)?.Message == reason.Message;
        if (kind == FaultKinds.SpaceClaimed)
            return IsSpaceClaimed(context);
        return kind?.Class == FaultClass.Obstacle && Next(context)?.InTheWay(context) is not null;
    }

    private static bool IsSpaceClaimed(StepContext context)
    {
        try
        {
            return SpaceLedger.IsClaimedByOthers(context);
        }
        finally
        {
            context.Places.Release();
        }
    }

    private static bool IsPastReturn(StepContext context) => context.Procedure.Steps.Any(s => s.IsPastReturn(context));

    /// <summary>
    /// A permit is needed from the first step that says so, until one has begun that is finished with or without it.
    /// </summary>
    private void RequirePermit(StepContext context, IStep next)
    {
        var procedure = context.Procedure;
        if (procedure.Begun(journal.Read(context.Docket.Id).Begun).Any(s => s.EndsNeedOfPermit))
            return;
        if (!procedure.Begun(next.Name).Any(s => s.NeedsPermit))
            return;
        if (permits.Holds(context.Docket.Id))
            return;
        var quiesced = IsQuiesced(context);
        TimeSpan? most = quiesced ? LongestAwayWhileQuiesced : null;
        var answer = permits.Await(
            context.Docket,
            most,
            () => context.Report.Waits(next.Name, Faults.NoPermit()),
            context.Stop
        );
        Heed(answer, context.Docket.Id, quiesced);
    }

    private void Heed(PermitAnswer answer, Guid docket, bool quiesced)
    {
        switch (answer)
        {
            case PermitAnswer.Refused:
                throw new Fault(
                    FaultKinds.PermitRefused,
                    "The run was halted before this relocation's turn.",
                    "Wait until the run may go on."
                );
            case PermitAnswer.NotNow:
                throw new Parked(Faults.NotNow(permits.WishOf(docket)));
            case PermitAnswer.Expired when quiesced:
                throw new Fault(
                    FaultKinds.PermitExpired,
                    "The permit expired and the service did not answer for "
                        + $"{LongestAwayWhileQuiesced.TotalMinutes:0} minutes, while the account was locked out.",
                    "Check the connection to the service."
                );
            case PermitAnswer.Expired:
                throw new Fault(
                    FaultKinds.DocketExpired,
                    "The service did not answer within the docket's time.",
                    "Check the connection to the service."
                );
        }
    }

    private bool IsQuiesced(StepContext context) => journal.Read(context.Docket.Id).Done.Contains(Step.Quiesce);

    private RelocationState Stopped(StepContext context, Step step, Fault fault)
    {
        if (context.Docket.Work == DocketWork.Discard)
        {
            var failure = FailureText.Of(
                context.Docket,
                fault,
                "The holding lives where it did; the original is still there or partly removed."
            );
            context.Report.Changed(RelocationState.Failed, step, failure);
            journal.End(context.Docket.Id, RelocationState.Failed);
            return RelocationState.Failed;
        }
        if (IsPastReturn(context))
        {
            var failure = FailureText.Of(
                context.Docket,
                fault,
                $"The data lives at {context.Live.PlaceInWords()}{(context.Originals is not null ? "; the original is kept" : "")}.",
                isLive: true
            ) with
            {
                LockedOut = LetInAfterAll(context),
            };
            context.Report.Changed(RelocationState.Failed, step, failure);
            journal.End(context.Docket.Id, RelocationState.Failed);
            return RelocationState.Failed;
        }
        return BackOut(context, FailureText.Of(context.Docket, fault, ""));
    }

    private RelocationState BackOut(StepContext context, Failure cause)
    {
        if (journal.Read(context.Docket.Id).Undoing is null)
            journal.Undo(context.Docket.Id, cause);
        var at = journal.Read(context.Docket.Id).Begun;
        context.Report.Changed(RelocationState.BackingOut, at, cause);
        var final =
            FaultKinds.Find(cause.Code)?.Class == FaultClass.Refused
                ? RelocationState.BackedOut
                : RelocationState.Failed;
        try
        {
            Undo(context);
            OwnFolders.Tidy(context);
            cause = cause with { Where = WhereAfter(context) };
        }
        catch (Exception stopped) when (stopped is Fault || IsDefect(stopped))
        {
            var fault = stopped as Fault ?? Met(context, at, stopped);
            cause = cause with
            {
                Where =
                    $"Backing out stopped ({fault.Message.TrimEnd('.')}); source and target are both complete and "
                    + $"{context.Live.InWords()}.",
                LockedOut = LockedOut(context),
            };
            final = RelocationState.Failed;
        }
        finally
        {
            context.Places.Release();
        }
        context.Report.Changed(final, at, cause);
        journal.End(context.Docket.Id, final);
        return final;
    }

    /// <summary>Where the data is when everything was undone.</summary>
    private string WhereAfter(StepContext context) =>
        context.Docket.Work.MovesHolding()
            ? $"Nothing has changed; {context.Live.InWords()}."
            : $"The former place is as it was; the holding lives at `{machine.Volumes.Show(context.Docket.Target)}`.";

    /// <summary>
    /// Walks the begun steps backwards. Where one cannot be undone, those before it stay, but for what keeps someone
    /// out.
    /// </summary>
    /// <exception cref="Fault">The first that could not be undone.</exception>
    private void Undo(StepContext context)
    {
        Fault? stopped = null;
        foreach (var step in context.Procedure.Begun(journal.Read(context.Docket.Id).Begun).Reverse())
        {
            if (stopped is not null && !step.IsAlwaysUndone)
                continue;
            try
            {
                step.Undo(context);
            }
            catch (Fault fault)
            {
                stopped ??= fault;
            }
            catch (Exception defect) when (IsDefect(defect))
            {
                stopped ??= Met(context, step.Name, defect);
            }
        }
        if (stopped is not null)
            throw stopped;
    }

    /// <summary>
    /// The holding is complete where its settings lead, so its account may sign in, whatever else failed; says so where
    /// it still cannot.
    /// </summary>
    private static string? LetInAfterAll(StepContext context)
    {
        try
        {
            context.Holds.Release();
        }
        catch (Exception cannot) when (cannot is Fault || IsDefect(cannot))
        {
            // Why it cannot is said already: it is what stopped the docket.
        }
        return LockedOut(context);
    }

    private static string? LockedOut(StepContext context) =>
        context.Holds.KeepsOut ? context.Docket.Holding.Account : null;

    private RelocationState End(StepContext context)
    {
        var docket = context.Docket;
        OriginalBack.RemoveEmptied(context);
        OwnFolders.Tidy(context);
        if (docket.Work == DocketWork.Return && OriginalBack.Of(context) is not null)
            context.Report.Add(
                "What lived there was equal to the original in every byte: the original was renamed back, nothing was copied."
            );
        var procedure = context.Procedure;
        var original = context.Originals is not null
            ? new OriginalFacts(
                docket.Id,
                docket.Holding,
                docket.Source,
                time.GetUtcNow(),
                docket.Files,
                docket.DataBytes,
                false,
                null
            )
            : null;
        // Told before it is ended: a crash in between tells it twice, never not at all.
        context.Report.Changed(
            procedure.Ends,
            procedure.Steps[^1].Name,
            original: original,
            liveAgain: OriginalBack.Of(context)
        );
        journal.End(docket.Id, procedure.Ends);
        return procedure.Ends;
    }
}
