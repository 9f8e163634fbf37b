using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>Why an operation of a port failed, in terms every system has.</summary>
public enum IoReason
{
    NotFound,
    Exists,
    Denied,
    NoSpace,
    ReadOnly,
    Unreadable,
    Gone,
    NotEmpty,
    NotAFolder,
    BehindLink,
    OtherVolume,
    NotSupported,
    Changed,
    Other,
}

/// <summary>Something that stops a docket: which kind of thing, what happened, and what to correct.</summary>
/// <param name="remedy">What the technician can correct at the machine or in the brief; empty where nothing can be.
/// What comes after that follows from the kind.</param>
public class Fault(FaultKind kind, string text, string remedy) : Exception(text)
{
    /// <summary>Its entry in the catalogue.</summary>
    public FaultKind Kind { get; } = kind;

    /// <summary>What can be corrected; may be empty.</summary>
    public string Remedy { get; } = remedy;

    /// <summary>What comes after that.</summary>
    public NextStep Next { get; init; } = kind.Next;
}

/// <summary>A file system operation that failed.</summary>
public sealed class IoFault(IoReason reason, string path, string systemWords)
    : Fault(KindOf(reason), $"`{path}`: {systemWords}.", RemedyOf(reason))
{
    /// <summary>Why.</summary>
    public IoReason Reason { get; } = reason;

    /// <summary>The node concerned, as far as the port knows its path.</summary>
    public string Path { get; } = path;

    /// <summary>The system's own words.</summary>
    public string SystemWords { get; } = systemWords;

    private static FaultKind KindOf(IoReason reason) =>
        reason switch
        {
            IoReason.NoSpace => FaultKinds.VolumeFull,
            IoReason.ReadOnly => FaultKinds.VolumeReadOnly,
            IoReason.Unreadable => FaultKinds.FileUnreadable,
            IoReason.Denied => FaultKinds.AccessDenied,
            IoReason.BehindLink => FaultKinds.BehindLink,
            IoReason.OtherVolume => FaultKinds.OtherVolume,
            IoReason.Gone => FaultKinds.VolumeAbsent,
            IoReason.Changed => FaultKinds.SourceChanging,
            _ => FaultKinds.FileOperationFailed,
        };

    private static string RemedyOf(IoReason reason) =>
        reason switch
        {
            IoReason.NoSpace => "Free space on that volume or plan another target.",
            IoReason.ReadOnly =>
                "Make the volume writable again (it may have been protected after an error: check the disk).",
            IoReason.Unreadable => "Check the disk, then repair or remove the file.",
            IoReason.Denied => "Give the agent the right to do this.",
            IoReason.BehindLink =>
                "A link stands where a folder or file belongs. Find out who made it, put the folder back.",
            IoReason.OtherVolume => "Another volume is mounted inside. Unmount it or relocate it separately.",
            IoReason.Gone => "Attach the volume again.",
            IoReason.Changed => "Make sure that nobody works in the folder.",
            _ => "Look at the system's error message.",
        };
}

/// <summary>The faults that the engine itself raises.</summary>
public static class Faults
{
    /// <summary>What a repoint is to make live is not where it was.</summary>
    internal static Fault CopyMissing() =>
        new(
            FaultKinds.CopyMissing,
            "What was to become live is gone from the target volume.",
            "Find out who removed it."
        );

    /// <summary>A pointer reads neither what it should nor what it shall.</summary>
    public static Fault PointerChanged(PointerAddress address, PointerValue expected, PointerValue found) =>
        new(
            FaultKinds.PointerChanged,
            $"The setting {address} reads `{found.Text ?? "(nothing)"}` and not `{expected.Text ?? "(nothing)"}`: "
                + "someone changed it since the survey.",
            "Find out who changed it."
        );

    /// <summary>The program adds a name to its setting, with which the place does not end.</summary>
    public static Fault PointerShape(string adds, string shown) =>
        new(
            FaultKinds.PointerShape,
            $"The program adds `{adds}` to its setting, and `{shown}` does not end so.",
            "Make a new plan with a path that does."
        );

    /// <summary>The volume with this identity is not mounted.</summary>
    public static Fault VolumeAbsent(string what) =>
        new(
            FaultKinds.VolumeAbsent,
            $"The volume {what} is not mounted on this machine.",
            "Attach or mount it at its place again."
        );

    /// <summary>Something stands at the target.</summary>
    public static Fault TargetNotEmpty(string shown, IEnumerable<string> names) =>
        new(
            FaultKinds.TargetNotEmpty,
            $"Something is already at `{shown}`: {string.Join(", ", names.Select(n => $"`{PathText.Show(n)}`"))}.",
            "Furlough overwrites nothing: take it away or plan another place."
        );

    /// <summary>The target has less room than the docket needs.</summary>
    public static Fault TargetFuller(string shown, long needs, long free) =>
        new(
            FaultKinds.TargetFuller,
            $"The target volume of `{shown}` has {Words.Size(free)} free and this needs {Words.Size(needs)}.",
            "Free space there or plan another target."
        );

    /// <summary>The target has room enough, but relocations that are under way need it first.</summary>
    public static Fault SpaceClaimed(string shown, long needs, long free, long claimed) =>
        new(
            FaultKinds.SpaceClaimed,
            $"The volume of `{shown}` has {Words.Size(free)} free. Relocations under way on this machine still "
                + $"need {Words.Size(claimed)} of it, and this one needs {Words.Size(needs)}.",
            "It fails if there is too little room when they have finished copying."
        );

    /// <summary>A return has no room beside the original.</summary>
    public static Fault OriginalInTheWay(string shown, long needs, long free) =>
        new(
            FaultKinds.TargetFuller,
            "What lives now is not what was set aside, so a return copies it back beside its original. The "
                + $"volume of `{shown}` has {Words.Size(free)} free and this needs {Words.Size(needs)}.",
            "Discard the original first: the live copy holds everything. Or free space there."
        )
        {
            Next = NextStep.DiscardOriginalFirst,
        };

    /// <summary>Files below the source are open.</summary>
    public static Fault FilesInUse(IReadOnlyList<string> list) =>
        new(
            FaultKinds.FilesInUse,
            $"{Words.Count(list.Count, "file")} held open: "
                + $"{string.Join("; ", list.Take(5).Select(PathText.Show))}{(list.Count > 5 ? "; …" : "")}.",
            "Have the programs closed or the account sign out."
        );

    /// <summary>A program that writes the settings itself is open.</summary>
    public static Fault ProgramRunning(IReadOnlyList<string> list) =>
        new(
            FaultKinds.ProgramRunning,
            $"{string.Join("; ", list)} is running, and would write over the settings when it is closed.",
            "Have it closed."
        );

    /// <summary>An account whose home is relocated has programs running, if only in the background.</summary>
    public static Fault AccountAtWork(string account, IReadOnlyList<string> programs) =>
        new(
            FaultKinds.AccountAtWork,
            $"{account} still runs {string.Join(", ", programs.Take(5).Select(PathText.Show))}{(programs.Count > 5 ? ", …" : "")}.",
            "Have the account sign out and its background programs end."
        );

    /// <summary>The person at the machine was notified and has some time left.</summary>
    public static Fault PersonTold(string account, TimeSpan before, int putOff, int most) =>
        new(
            FaultKinds.PersonTold,
            $"{account} is signed in and "
                + $"{(putOff == 0 ? "was notified" : $"put it off ({putOff} of {Words.Count(most, "time")})")}: it "
                + $"continues {Words.Length(before)} after that, or as soon as nobody is signed in.",
            "What is copied is kept."
        );

    /// <summary>A program's own command gave no answer.</summary>
    public static Fault CommandFailed(IReadOnlyList<string> command, string why) =>
        new(
            FaultKinds.CommandFailed,
            $"The command `{string.Join(' ', command)}` of the kind card {why}.",
            "Try it manually in the account, correct the kind card."
        );

    /// <summary>A defect of the program itself.</summary>
    public static Fault Unforeseen(Step? step, Exception defect) =>
        new(
            FaultKinds.Unforeseen,
            $"{(step is { } at ? $"The step {at.Word()}" : "The agent")} met an error that it does not know "
                + $"({defect.GetType().Name}: {defect.Message}).",
            "Look at the agent's log."
        );

    /// <summary>Someone asked for it.</summary>
    public static Fault BackedOutByHand() => new(FaultKinds.BackedOutByHand, "It was backed out manually.", "");

    /// <summary>The service has not answered yet.</summary>
    public static Fault NoPermit() =>
        new(
            FaultKinds.NoPermit,
            "It needs the service's permit to go on and the service does not answer.",
            "Check the connection to the service."
        );

    /// <summary>The service wishes that it rests.</summary>
    public static Fault NotNow(Wish wish) =>
        wish switch
        {
            Wish.OutsideHours => new(
                FaultKinds.OutsideHours,
                "What is left of the allowed hours is too short for it.",
                "It continues in the next allowed hours; what is copied is kept."
            ),
            Wish.AwaitPerson => new(
                FaultKinds.PersonWanted,
                "It is begun only when a person has done something first.",
                ""
            ),
            Wish.Pause => new(FaultKinds.RunPaused, "Its run is paused.", "What is copied is kept."),
            Wish.Hold => new(
                FaultKinds.MachineHeld,
                "Someone holds this machine: nothing is begun on it for now.",
                "What is copied is kept."
            ),
            _ => new(FaultKinds.HeldBack, "The service holds it back for the moment.", "What is copied is kept."),
        };

    /// <summary>The copy read back differs.</summary>
    public static Fault NotProven(string difference) =>
        new(FaultKinds.CopyDiffers, $"The copy is not equal to the source: {difference}.", "Check the target's disk.");

    /// <summary>What stands at the target is not what stands at the source.</summary>
    public static Fault TargetNotEqual(string shown, IReadOnlyList<string> differences) =>
        new(
            FaultKinds.TargetNotEqual,
            $"What stands at `{shown}` is not equal to the source: {string.Join("; ", differences)}.",
            "Furlough adopts only what is equal, times and owners too, and mixes nothing: take away what is not wanted."
        );

    /// <summary>The source is not as it was copied.</summary>
    public static Fault SourceChanged(string difference) =>
        new(
            FaultKinds.SourceChanged,
            $"The source changed after it was copied: {difference}.",
            "Make sure that nobody works in the folder."
        );

    /// <summary>The source folder is missing.</summary>
    /// <param name="instead">What stands in its place; null for nothing.</param>
    public static Fault SourceMissing(string shown, NodeKind? instead = null) =>
        new(
            FaultKinds.SourceMissing,
            instead switch
            {
                NodeKind.Link => $"A link stands at `{shown}`, and no folder: its data is where the link leads.",
                null => $"There is no folder at `{shown}`.",
                _ => $"There is no folder at `{shown}` but something else of that name.",
            },
            instead == NodeKind.Link ? "Have the setting lead to the folder itself." : ""
        );
}
