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
    private static readonly Dictionary<Step, IStep> Steps = new IStep[]
    {
        new PrepareStep(), new QuiesceStep(), new CopyStep(), new CatchUpStep(), new ProveStep(), new RepointStep(),
        new SetAsideStep(), new ReopenStep(), new ConfirmStep(), new DiscardStep(),
    }.ToDictionary(s => s.Name);

    /// <summary>The steps of a docket, in sequence.</summary>
    public static IReadOnlyList<Step> SequenceOf(Docket docket) => docket switch
    {
        { Work: DocketWork.Discard } => [Step.Discard],
        { Method: Method.Exchange } => [Step.Prepare, Step.Quiesce, Step.Repoint, Step.Reopen, Step.Confirm],
        { Method: Method.Warm } => [Step.Prepare, Step.Copy, Step.Prove, Step.Quiesce, Step.CatchUp, Step.Repoint, Step.SetAside, Step.Reopen, Step.Confirm],
        _ => [Step.Prepare, Step.Quiesce, Step.Copy, Step.Prove, Step.Repoint, Step.SetAside, Step.Reopen, Step.Confirm],
    };

    /// <summary>Carries a docket out to its end, or goes on where it was cut short.</summary>
    /// <returns>The final state.</returns>
    /// <exception cref="OperationCanceledException">Stopped at a safe point; call again to go on.</exception>
    public RelocationState Run(Docket docket, IWatcher watcher, CancellationToken stop)
    {
        var work = new Work(docket, machine, journal, permits, signer, watcher, time, stop);
        var state = journal.Read(docket.Id);
        if (state.Ended is { } ended) return ended;
        if (state.Undoing is { } cause) return BackOut(work, cause);
        foreach (var step in SequenceOf(docket))
        {
            if (journal.Read(docket.Id).Done.Contains(step)) continue;
            stop.ThrowIfCancellationRequested();
            try
            {
                RequirePermit(work, step);
                work.Changed(UnderWay(docket), step);
                RequireSequence(docket, step);
                journal.Begin(docket.Id, step);
                Steps[step].Perform(work);
                journal.Done(docket.Id, step);
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

    private static RelocationState UnderWay(Docket docket) => docket.Work switch
    {
        DocketWork.Discard => RelocationState.Discarding,
        DocketWork.Return => RelocationState.Returning,
        _ => RelocationState.UnderWay,
    };

    /// <summary>From quiesce to repoint a permit is needed; what is repointed is finished with or without one.</summary>
    private void RequirePermit(Work work, Step step)
    {
        var begun = journal.Read(work.Docket.Id).Begun;
        if (step == Step.Discard ? begun is not null : begun >= Step.Repoint || SequenceOf(work.Docket).TakeWhile(s => s != Step.Quiesce).Contains(step)) return;
        if (permits.Holds(work.Docket.Id)) return;
        switch (permits.Await(work.Docket, () => work.Changed(RelocationState.Waiting, step), work.Stop))
        {
            case PermitAnswer.Refused:
                throw new Fault("permit-refused", "The run was halted before this relocation's turn.", "Start it again with {retry} when the run may go on.");
            case PermitAnswer.Expired:
                throw new Fault("docket-expired", "The service did not answer within the docket's time.", "Check the connection to the service, then {retry}.");
        }
    }

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
            var failure = Describe(work, fault, "The holding lives where it did; the original is still there or partly removed.");
            work.Changed(RelocationState.Failed, step, failure);
            journal.End(work.Docket.Id, RelocationState.Failed);
            return RelocationState.Failed;
        }
        var pastReturn = journal.Read(work.Docket.Id).Notes.ContainsKey(ReopenStep.Compared);
        if (pastReturn)
        {
            var failure = Describe(work, fault, $"The data lives at {work.LiveInWords()}; the original is kept.");
            work.Changed(RelocationState.Failed, step, failure);
            journal.End(work.Docket.Id, RelocationState.Failed);
            return RelocationState.Failed;
        }
        return BackOut(work, Describe(work, fault, ""));
    }

    private RelocationState BackOut(Work work, Failure cause)
    {
        if (journal.Read(work.Docket.Id).Undoing is null) journal.Undo(work.Docket.Id, cause);
        var at = journal.Read(work.Docket.Id).Begun;
        work.Changed(RelocationState.BackingOut, at, cause);
        var final = cause.Code is "permit-refused" or "docket-expired" ? RelocationState.BackedOut : RelocationState.Failed;
        try
        {
            foreach (var left in Undo.Run(work)) work.Report(left);
            cause = cause with { Where = $"Nothing has changed; the data lives at {work.LiveInWords()}." };
        }
        catch (Fault fault)
        {
            cause = cause with { Where = $"Backing out stopped ({fault.Message.TrimEnd('.')}); source and target are both complete and the data lives at {work.LiveInWords()}." };
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

    private RelocationState End(Work work)
    {
        var docket = work.Docket;
        var final = docket switch
        {
            { Work: DocketWork.Discard } => RelocationState.Finished,
            { Work: DocketWork.Return } => RelocationState.Returned,
            { Method: Method.Exchange } => RelocationState.Finished,
            _ => RelocationState.Switched,
        };
        var original = docket is { Method: not Method.Exchange, Work: not DocketWork.Discard }
            ? new OriginalFacts(docket.Id, docket.Holding, docket.Source, time.GetUtcNow(), docket.Files, docket.DataBytes, false, false)
            : null;
        // Told before it is ended: a crash in between tells it twice, never not at all.
        work.Changed(final, SequenceOf(docket)[^1], original: original);
        journal.End(docket.Id, final);
        return final;
    }

    private static Failure Describe(Work work, Fault fault, string where)
    {
        var retry = $"`furlough relocation retry {work.Docket.Relocation}`";
        return new Failure(fault.Code, Sentence(work, fault), where, fault.Remedy.Replace("{retry}", retry, StringComparison.Ordinal));
    }

    private static string Sentence(Work work, Fault fault)
    {
        var doing = work.Docket.Work switch { DocketWork.Discard => "Discarding the original of", DocketWork.Return => "The return of", _ => "The relocation of" };
        return fault is IoFault io
            ? $"{doing} {work.Docket.Holding} stopped: `{PathText.Show(Within(work.Docket, io.Path))}` {Verb(io.Reason)} ({io.SystemWords})."
            : $"{doing} {work.Docket.Holding} stopped: {char.ToLowerInvariant(fault.Message[0])}{fault.Message[1..]}";
    }

    private static string Verb(IoReason reason) => reason switch
    {
        IoReason.Unreadable => "cannot be read",
        IoReason.NoSpace => "does not fit on its volume",
        IoReason.ReadOnly => "cannot be written",
        IoReason.Denied => "may not be opened or changed",
        IoReason.Changed => "keeps changing",
        IoReason.BehindLink => "is not what it should be",
        IoReason.NotFound => "is missing",
        _ => "stopped the work",
    };

    /// <summary>A node's path below the holding, where it lies there.</summary>
    private static string Within(Docket docket, string path)
    {
        var staging = string.Join('/', docket.Target.Parts.SkipLast(1).Append(Layout.FolderOf(docket.Id)).Append(Layout.Staging));
        foreach (var root in (string[])[docket.Source.Path, docket.Target.Path, staging])
            if (path.StartsWith(root + "/", StringComparison.Ordinal)) return path[(root.Length + 1)..];
        return path;
    }
}
