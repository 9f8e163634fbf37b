using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Some programs make their library when they are started for the first time: that is done once, in the account, before anything is compared. The program may write its settings then; what they say afterwards are their former values.</summary>
internal static class FirstStart
{
    private const string State = "first-start",
        Begun = "begun",
        Done = "done",
        Former = "former-value ";

    /// <summary>Starts the program of a library that is not there yet. Repeatable: what it has made is not made again.</summary>
    internal static void Make(Work work, Func<bool> isThere)
    {
        if (
            work.Docket is not { Work: DocketWork.Relocate, Program.FirstStart: { Count: > 0 } command }
            || work.Noted(State) == Done
        )
            return;
        if (work.Noted(State) is null)
        {
            if (isThere())
                return;
            work.Note(State, Begun);
        }
        if (!isThere())
            Start(work, command, isThere);
        var shown = work.Machine.Volumes.Show(work.Docket.Source);
        foreach (var change in work.Docket.Pointers)
        {
            var found = work.Machine.Pointers.Read(change.Address);
            if (found == change.Expected)
                continue;
            if (work.Machine.Pointers.Leads(change.Address, found) is var leads && leads != shown)
                throw new Fault(
                    "first-start-elsewhere",
                    $"At its first start the program of {work.Docket.Holding} set {change.Address} to `{found.Text ?? "(nothing)"}`, which does not lead to `{shown}`.",
                    "Correct `usual` in the kind card, survey the machine and make a new plan."
                );
            work.Note(Work.KeyOf(Former, change), found.Type + "\t" + found.Text);
        }
        work.Note(State, Done);
        work.Report($"{work.Docket.Holding} was not there yet: its program was started once, and made it.");
    }

    /// <summary>A pointer's value before the relocation: what the docket expects, or what the program wrote at its first start.</summary>
    internal static PointerValue FormerOf(Work work, PointerChange change) =>
        work.Docket.Program is not { FirstStart.Count: > 0 } ? change.Expected
        : work.Noted(Work.KeyOf(Former, change))?.Split('\t', 2) is [var type, var text] ? new PointerValue(type, text)
        : IsToCome(work) ? work.Machine.Pointers.Read(change.Address)
        : change.Expected;

    /// <summary>Whether the library was not there when the docket began, and its program has not made it.</summary>
    internal static bool IsToCome(Work work) => work.Noted(State) == Begun;

    /// <summary>A program that goes on running is ended when its time is up, and has done what it is started for if the library is there.</summary>
    private static void Start(Work work, IReadOnlyList<string> command, Func<bool> isThere)
    {
        Fault? why = null;
        try
        {
            if (work.Machine.Activity.Ask(work.Docket.Holding.Account, command) is null)
                why = new Fault(
                    "first-start-not-here",
                    $"{work.Docket.Holding} is not there yet, and commands of kind cards do not run on this machine.",
                    "Have the account start the program once, or start the machine's agent with --card-commands; then {retry}."
                );
        }
        catch (Fault failed) when (failed.Code == Faults.CommandFailedCode)
        {
            why = failed;
        }
        if (!isThere())
            throw why
                ?? new Fault(
                    "first-start-made-nothing",
                    $"The command `{string.Join(' ', command)}` ended well, and there is no folder at `{work.Machine.Volumes.Show(work.Docket.Source)}`.",
                    "Correct `first-start` or `usual` in the kind card, then {retry}."
                );
    }
}
