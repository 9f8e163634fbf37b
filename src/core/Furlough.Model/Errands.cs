using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>What only a person can do.</summary>
[JsonConverter(typeof(WordConverter<ErrandKind>))]
public enum ErrandKind
{
    BeThere,
    Unplug,
    PlugIn,
    Format,
    SignOut,
    CloseFiles,
    ClosePrograms,
    Restart,
    SignIn,
    SecondFactor,
    ConfirmByEye,
}

/// <summary>
/// Why an errand was raised: a relocation waits for it before it begins; it is in a relocation's way; a relocation
/// failed for want of it; it comes after a relocation; or it is a step of a drill.
/// </summary>
[JsonConverter(typeof(WordConverter<ErrandCause>))]
public enum ErrandCause
{
    Beforehand,
    InTheWay,
    Failed,
    Afterwards,
    Drill,
}

/// <summary>What became of an errand. Lapsed: it settled itself.</summary>
[JsonConverter(typeof(WordConverter<ErrandState>))]
public enum ErrandState
{
    Open,
    Claimed,
    Finished,
    Declined,
    Lapsed,
}

/// <summary>What follows from kinds and states of errands.</summary>
public static class Errands
{
    /// <summary>Kinds that a brief may ask for before a relocation begins.</summary>
    public static IReadOnlyList<ErrandKind> Before { get; } =
    [ErrandKind.PlugIn, ErrandKind.Format, ErrandKind.SignOut, ErrandKind.Restart];

    /// <summary>Kinds that a brief may ask for after a relocation.</summary>
    public static IReadOnlyList<ErrandKind> After { get; } =
    [ErrandKind.Restart, ErrandKind.SignIn, ErrandKind.SecondFactor, ErrandKind.ConfirmByEye];

    /// <summary>It concerns one account of the machine, and not the machine as a whole.</summary>
    public static bool IsOfAccount(this ErrandKind kind) =>
        kind
            is ErrandKind.SignOut
                or ErrandKind.SignIn
                or ErrandKind.CloseFiles
                or ErrandKind.ClosePrograms
                or ErrandKind.SecondFactor
                or ErrandKind.ConfirmByEye;

    /// <summary>Someone has still to do it.</summary>
    public static bool IsToDo(this ErrandState state) => state is ErrandState.Open or ErrandState.Claimed;
}
