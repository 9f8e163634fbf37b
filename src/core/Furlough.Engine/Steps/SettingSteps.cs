using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Compares reality with the docket (I9) and makes the folder that the settings will lead to. A return leaves folders alone.</summary>
public sealed class SettingPrepareStep : IStep
{
    /// <summary>Set when everything was compared: nothing has been made before.</summary>
    internal const string Compared = "setting-compared";

    /// <summary>Set before the target's own folder is made: only then it is removed again.</summary>
    internal const string Made = "made-target";

    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var docket = work.Docket;
        if (docket.Work == DocketWork.Return) return;
        PrepareStep.RequirePlainPath(docket.Target);
        using var root = work.TargetVolume().OpenRoot();
        var leaf = docket.Target.Parts[^1];
        using (var present = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1)))
            if (present?.Find(leaf) is { } there && there.Kind != NodeKind.Folder) throw Faults.TargetNotEmpty(work.Machine.Volumes.Show(docket.Target), [$"a {there.Kind.Word()} of that name"]);
        work.Note(Compared, "yes");
        using var parent = PrepareStep.MakeParents(work, root);
        if (parent.Find(leaf) is not null) return;
        work.Note(Made, "yes");
        PrepareStep.MakeFolder(work, parent, leaf, !docket.Holding.IsShared);
    }
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
        catch (Fault running) when (running.Code == Faults.ProgramRunningCode && work.Docket.Terms.KeepWaiting && work.LiveNow() == Live.Source)
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
        if (work.Docket.Work == DocketWork.Return) return;
        using var parent = Work.TryParent(work.TargetVolume(), work.Docket.Target);
        if (parent?.Find(work.Docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder })
            throw new Fault("target-missing", $"The folder `{work.Machine.Volumes.Show(work.Docket.Target)}` is gone.", "Find out who removed it, then {retry}.");
    }
}
