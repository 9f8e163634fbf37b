using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Compares reality with the docket (I9) and makes the folder that the settings will lead to. A return leaves folders alone.</summary>
public sealed class SettingPrepareStep : IStep
{
    /// <summary>Set when everything was compared: nothing has been made before.</summary>
    internal const string Compared = "setting-compared";

    /// <summary>Set, with its name behind it, before one of the target's folders is made: only then it is removed again.</summary>
    internal const string Made = "made-target ";

    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var docket = work.Docket;
        if (docket.Work == DocketWork.Return)
            return;
        PrepareStep.RequirePlainPath(docket.Target);
        using var root = work.TargetVolume().OpenRoot();
        using (var present = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1)))
            foreach (var leaf in Leaves(docket))
                if (present?.Find(leaf) is { } there && there.Kind != NodeKind.Folder)
                    throw Faults.TargetNotEmpty(
                        work.Machine.Volumes.Show(docket.Target),
                        [$"a {there.Kind.Word()} of the name {leaf}"]
                    );
        work.Note(Compared, "yes");
        using var parent = PrepareStep.MakeParents(work, root);
        foreach (var leaf in Leaves(docket).Where(l => parent.Find(l) is null))
        {
            work.Note(Made + leaf, "yes");
            PrepareStep.MakeFolder(work, parent, leaf, !docket.Holding.IsShared);
        }
    }

    /// <summary>The folders to which the settings will lead: the target, and those beside it that twins have.</summary>
    internal static IEnumerable<string> Leaves(Docket docket) =>
        docket
            .Pointers.Select(p => docket.Target.Parts[^1] + p.Address.Behind)
            .Prepend(docket.Target.Parts[^1])
            .Distinct(StringComparer.Ordinal);
}

/// <summary>Waits until the program is closed that would write over the settings, then changes each by compare-and-swap.</summary>
public sealed class SettingRepointStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Repoint;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        try
        {
            QuiesceStep.RequireUnused(work, Name);
        }
        catch (Fault running)
            when (running.Code == Faults.ProgramRunningCode
                && work.Docket.Terms.KeepWaiting
                && work.LiveNow() == Live.Source
            )
        {
            throw new Parked(running);
        }
        SettingConfirmStep.RequireTarget(work);
        RepointStep.ChangePointers(work);
    }
}

/// <summary>Reads the settings back and asks the program itself.</summary>
public sealed class SettingConfirmStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Confirm;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        work.RequirePointersAtTarget();
        RequireTarget(work);
        ConfirmStep.AskSystem(work);
    }

    /// <summary>The folder that the settings lead to must be there; where a return leads is the system's own affair.</summary>
    internal static void RequireTarget(Work work)
    {
        if (work.Docket.Work == DocketWork.Return)
            return;
        using var parent = Work.TryParent(work.TargetVolume(), work.Docket.Target);
        if (SettingPrepareStep.Leaves(work.Docket).Any(l => parent?.Find(l) is not { Kind: NodeKind.Folder }))
            throw new Fault(
                "target-missing",
                $"The folder `{work.Machine.Volumes.Show(work.Docket.Target)}` is gone.",
                "Find out who removed it, then {retry}."
            );
    }
}
