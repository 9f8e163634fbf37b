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

/// <summary>Something that stops a docket: a stable code, what happened, and what to do.</summary>
public class Fault(string code, string text, string remedy) : Exception(text)
{
    /// <summary>Stable, hyphenated.</summary>
    public string Code { get; } = code;

    /// <summary>What the technician can do. "{retry}" stands for the command that tries again.</summary>
    public string Remedy { get; } = remedy;
}

/// <summary>A file system operation that failed.</summary>
public sealed class IoFault(IoReason reason, string path, string systemWords)
    : Fault(CodeOf(reason), $"`{path}`: {systemWords}.", RemedyOf(reason))
{
    /// <summary>Why.</summary>
    public IoReason Reason { get; } = reason;

    /// <summary>The node concerned, as far as the port knows its path.</summary>
    public string Path { get; } = path;

    /// <summary>The system's own words.</summary>
    public string SystemWords { get; } = systemWords;

    private static string CodeOf(IoReason reason) =>
        reason switch
        {
            IoReason.NoSpace => "volume-full",
            IoReason.ReadOnly => "volume-read-only",
            IoReason.Unreadable => "file-unreadable",
            IoReason.Denied => "access-denied",
            IoReason.BehindLink => "behind-link",
            IoReason.OtherVolume => "other-volume",
            IoReason.Gone => "volume-absent",
            IoReason.Changed => "source-changing",
            _ => "file-operation-failed",
        };

    private static string RemedyOf(IoReason reason) =>
        reason switch
        {
            IoReason.NoSpace => "Free space on that volume or plan another target, then {retry}.",
            IoReason.ReadOnly =>
                "Make the volume writable again (it may have been protected after an error: check the disk), then {retry}.",
            IoReason.Unreadable => "Check the disk, put the file right or take it away, then {retry}.",
            IoReason.Denied => "Give the agent the right to do this, then {retry}.",
            IoReason.BehindLink =>
                "A link stands where a folder or file belongs. Find out who made it, put the folder back, then {retry}.",
            IoReason.OtherVolume =>
                "Another volume is mounted inside. Unmount it or relocate it by itself, then {retry}.",
            IoReason.Gone => "Attach the volume again, then {retry}.",
            IoReason.Changed => "Make sure that nobody works in the folder, then {retry}.",
            _ => "Look at the machine's own words, then {retry}.",
        };
}

/// <summary>The faults that the engine itself raises.</summary>
public static class Faults
{
    /// <summary>A pointer reads neither what it should nor what it shall.</summary>
    public static Fault PointerChanged(PointerAddress address, PointerValue expected, PointerValue found) =>
        new(
            "pointer-changed",
            $"The setting {address} reads `{found.Text ?? "(nothing)"}` and not `{expected.Text ?? "(nothing)"}`: somebody changed it since the survey.",
            "Find out who changed it, survey the machine and make a new plan."
        );

    /// <summary>The program adds a name to its setting, with which the place does not end.</summary>
    public static Fault PointerShape(string adds, string shown) =>
        new(
            "pointer-shape",
            $"The program adds `{adds}` to its setting, and `{shown}` does not end so.",
            "Make a new plan with a path that does."
        );

    /// <summary>The volume with this identity is not mounted.</summary>
    public static Fault VolumeAbsent(string what) =>
        new(
            "volume-absent",
            $"The volume {what} is not mounted on this machine.",
            "Attach or mount it at its place again, then {retry}."
        );

    /// <summary>Something stands at the target.</summary>
    public static Fault TargetNotEmpty(string shown, IEnumerable<string> names) =>
        new(
            "target-not-empty",
            $"Something is already at `{shown}`: {string.Join(", ", names.Select(n => $"`{PathText.Show(n)}`"))}.",
            "Furlough overwrites nothing: take it away or plan another place, then {retry}."
        );

    /// <summary>The target has less room than the docket needs.</summary>
    public static Fault TargetFuller(string shown, long needs, long free) =>
        new(
            "target-fuller-than-surveyed",
            $"The target volume of `{shown}` has {Words.Size(free)} free and this needs {Words.Size(needs)}.",
            "Free space there or plan another target, then {retry}."
        );

    /// <summary>The code of <see cref="SpaceClaimed"/>.</summary>
    public const string SpaceClaimedCode = "space-claimed";

    /// <summary>The target has room enough, but relocations that are under way need it first.</summary>
    public static Fault SpaceClaimed(string shown, long needs, long free, long claimed) =>
        new(
            SpaceClaimedCode,
            $"The volume of `{shown}` has {Words.Size(free)} free. Relocations under way on this machine still need {Words.Size(claimed)} of it, and this one needs {Words.Size(needs)}.",
            "Nothing to do: it continues automatically when they have finished copying, and fails if there is too little room then."
        );

    /// <summary>A return has no room beside the original.</summary>
    public static Fault OriginalInTheWay(string shown, long needs, long free) =>
        new(
            "target-fuller-than-surveyed",
            $"What lives now is not what was set aside, so a return copies it back beside its original. The volume of `{shown}` has {Words.Size(free)} free and this needs {Words.Size(needs)}.",
            "Discard the original first (`furlough original list` names it): the live copy holds everything. Or free space there; then {retry}."
        );

    /// <summary>The code of <see cref="FilesInUse"/>.</summary>
    public const string FilesInUseCode = "files-in-use";

    /// <summary>Files below the source are open.</summary>
    public static Fault FilesInUse(IReadOnlyList<string> list) =>
        new(
            FilesInUseCode,
            $"{Words.Count(list.Count, "file")} held open: {string.Join("; ", list.Take(5).Select(PathText.Show))}{(list.Count > 5 ? "; …" : "")}.",
            "Have the programs closed or the account sign out, then {retry}."
        );

    /// <summary>The code of <see cref="ProgramRunning"/>.</summary>
    public const string ProgramRunningCode = "program-running";

    /// <summary>A program that writes the settings itself is open.</summary>
    public static Fault ProgramRunning(IReadOnlyList<string> list) =>
        new(
            ProgramRunningCode,
            $"{string.Join("; ", list)} is running, and would write over the settings when it is closed.",
            "Have it closed, then {retry}."
        );

    private const string AccountAtWorkCode = "account-at-work";

    /// <summary>An account whose home is relocated has programs running, if only in the background.</summary>
    public static Fault AccountAtWork(string account, IReadOnlyList<string> programs) =>
        new(
            AccountAtWorkCode,
            $"{account} still runs {string.Join(", ", programs.Take(5).Select(PathText.Show))}{(programs.Count > 5 ? ", …" : "")}.",
            "Have the account sign out and its background programs end, then {retry}."
        );

    /// <summary>The code of <see cref="PersonTold"/>.</summary>
    public const string PersonToldCode = "person-told";

    /// <summary>The person at the machine was told and has some time left.</summary>
    public static Fault PersonTold(string account, TimeSpan before, int putOff, int most) =>
        new(
            PersonToldCode,
            $"{account} is signed in and {(putOff == 0 ? "was told" : $"put it off ({putOff} of {Words.Count(most, "time")})")}: it goes on {Words.Length(before)} after that, or as soon as nobody is signed in.",
            "It goes on by itself; what is copied is kept."
        );

    /// <summary>Whether a fault is over when people and programs let go.</summary>
    internal static bool IsInTheWay(string code) => code is FilesInUseCode or ProgramRunningCode or AccountAtWorkCode;

    /// <summary>A command of a kind card failed.</summary>
    public const string CommandFailedCode = "command-failed";

    /// <summary>A program's own command gave no answer.</summary>
    public static Fault CommandFailed(IReadOnlyList<string> command, string why) =>
        new(
            CommandFailedCode,
            $"The command `{string.Join(' ', command)}` of the kind card {why}.",
            "Try it by hand in the account, correct the kind card, then {retry}."
        );

    /// <summary>A defect of the program itself.</summary>
    public static Fault Unforeseen(Step? step, Exception defect) =>
        new(
            "unforeseen",
            $"{(step is { } at ? $"The step {at.Word()}" : "The agent")} met an error that it does not know ({defect.GetType().Name}: {defect.Message}).",
            "Look at the agent's log, then {retry}."
        );

    /// <summary>Somebody asked for it.</summary>
    public static Fault BackedOutByHand() =>
        new("backed-out-by-hand", "It was backed out by hand.", "{retry} begins it anew.");

    /// <summary>The service has not answered yet.</summary>
    public static Fault NoPermit() =>
        new(
            "no-permit",
            "It needs the service's permit to go on and the service does not answer.",
            "Check the connection to the service; the machine goes on by itself when it answers."
        );

    /// <summary>The service wishes that it rests.</summary>
    public static Fault NotNow(Wish wish) =>
        wish switch
        {
            Wish.OutsideHours => new(
                "outside-hours",
                "What is left of the allowed hours is too short for it.",
                "It goes on by itself in the next ones; what is copied is kept."
            ),
            Wish.AwaitPerson => new(
                "person-wanted",
                "It is begun only when a person has done something first.",
                "`furlough errand list` says what; `furlough relocation begin {number}` begins it without."
            ),
            Wish.Pause => new(
                "run-paused",
                "Its run is paused.",
                "`furlough run resume` lets it go on; what is copied is kept."
            ),
            Wish.Hold => new(
                "machine-held",
                "Somebody holds this machine: nothing is begun on it for now.",
                "`furlough machine release` lets it go on; what is copied is kept."
            ),
            _ => new(
                "held-back",
                "The service holds it back for the moment.",
                "It goes on by itself; what is copied is kept."
            ),
        };

    /// <summary>The code of <see cref="NotProven"/>.</summary>
    public const string NotProvenCode = "copy-differs";

    /// <summary>The copy read back differs.</summary>
    public static Fault NotProven(string difference) =>
        new(
            NotProvenCode,
            $"The copy is not equal to the source: {difference}.",
            "Check the target's disk, then {retry}."
        );

    /// <summary>What stands at the target is not what stands at the source.</summary>
    public static Fault TargetNotEqual(string shown, IReadOnlyList<string> differences) =>
        new(
            "target-not-equal",
            $"What stands at `{shown}` is not equal to the source: {string.Join("; ", differences)}.",
            "Furlough adopts only what is equal, times and owners too, and mixes nothing: take away what is not wanted, then {retry}."
        );

    /// <summary>The source is not as it was copied.</summary>
    public static Fault SourceChanged(string difference) =>
        new(
            "source-changed",
            $"The source changed after it was copied: {difference}.",
            "Make sure that nobody works in the folder, then {retry}."
        );

    /// <summary>The source folder is missing.</summary>
    /// <param name="instead">What stands in its place; null for nothing.</param>
    public static Fault SourceMissing(string shown, NodeKind? instead = null) =>
        new(
            "source-missing",
            instead switch
            {
                NodeKind.Link => $"A link stands at `{shown}`, and no folder: its data is where the link leads.",
                null => $"There is no folder at `{shown}`.",
                _ => $"There is no folder at `{shown}` but something else of that name.",
            },
            instead == NodeKind.Link
                ? "Have the setting lead to the folder itself, survey the machine and make a new plan."
                : "Survey the machine and make a new plan."
        );
}
