using Furlough.Engine.Context;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Some programs make their library when they are started for the first time: that is done once, in the account, before
/// anything is compared. The program may write its settings then; what they say afterwards are their former values.
/// </summary>
internal static class FirstStart
{
    /// <summary>
    /// Starts the program of a library that is not there yet. Repeatable: what it has made is not made again.
    /// </summary>
    internal static void Make(StepContext context, Func<bool> isThere)
    {
        if (
            context.Docket is not { Work: DocketWork.Relocate, Program.FirstStart: { Count: > 0 } command }
            || context.Journal.Records.Find<FirstStartBegun>() is { Done: true }
        )
            return;
        if (!context.Journal.Records.Has<FirstStartBegun>())
        {
            if (isThere())
                return;
            context.Journal.Record(new FirstStartBegun(Done: false));
        }
        if (!isThere())
            Start(context, command, isThere);
        RecordWhatItSet(context);
        context.Journal.Record(new FirstStartBegun(Done: true));
        context.Report.Add($"{context.Docket.Holding} was not there yet: its program was started once, and made it.");
    }

    private static void RecordWhatItSet(StepContext context)
    {
        var shown = context.Places.SourceShown;
        foreach (var change in context.Docket.Pointers)
        {
            var found = context.Machine.Pointers.Read(change.Address);
            if (found == change.Expected)
                continue;
            if (context.Machine.Pointers.Leads(change.Address, found) is var leads && leads != shown)
                throw new Fault(
                    FaultKinds.FirstStartElsewhere,
                    $"At its first start the program of {context.Docket.Holding} set {change.Address} to "
                        + $"`{found.Text ?? "(nothing)"}`, which does not lead to `{shown}`.",
                    "Correct `usual` in the kind card."
                );
            context.Journal.Record(new FormerValue(change.Address, found));
        }
    }

    /// <summary>Whether the library was not there when the docket began, and its program has not made it.</summary>
    internal static bool IsToCome(DocketJournal journal) => journal.Records.Find<FirstStartBegun>() is { Done: false };

    /// <summary>
    /// A program that goes on running is ended when its time is up, and has done what it is started for if the library
    /// is there.
    /// </summary>
    private static void Start(StepContext context, IReadOnlyList<string> command, Func<bool> isThere)
    {
        Fault? why = null;
        try
        {
            if (context.Machine.Activity.Ask(context.Docket.Holding.Account, command) is null)
                why = new Fault(
                    FaultKinds.FirstStartNotHere,
                    $"{context.Docket.Holding} is not there yet, and commands of kind cards do not run on this machine.",
                    "Have the account start the program once, or start the machine's agent with --card-commands."
                );
        }
        catch (Fault failed) when (failed.Kind == FaultKinds.CommandFailed)
        {
            why = failed;
        }
        if (!isThere())
            throw why
                ?? new Fault(
                    FaultKinds.FirstStartMadeNothing,
                    $"The command `{string.Join(' ', command)}` ended well, and there is no folder at `{context.Places.SourceShown}`.",
                    "Correct `first-start` or `usual` in the kind card."
                );
    }
}
