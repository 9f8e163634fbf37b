using Furlough.Engine.Context;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>What must be true of a relocation before or after a step, read from reality.</summary>
/// <param name="Leads">Where every setting leads; null where a crash may have changed some of them.</param>
/// <param name="IsHeld">Whether the holds are taken, as far as they can be; null for either.</param>
public sealed record StepState(Live? Leads, bool? IsHeld)
{
    internal static StepState AtSource { get; } = new(Live.Source, null);

    internal static StepState AtSourceOpen { get; } = new(Live.Source, false);

    internal static StepState AtSourceHeld { get; } = new(Live.Source, true);

    internal static StepState BetweenHeld { get; } = new(null, true);

    internal static StepState BetweenOpen { get; } = new(null, false);

    internal static StepState AtTarget { get; } = new(Live.Target, null);

    internal static StepState AtTargetOpen { get; } = new(Live.Target, false);

    internal static StepState AtTargetHeld { get; } = new(Live.Target, true);
}

/// <summary>
/// One step of a method. It reads reality first and then does what is missing, so that it can be repeated after a crash
/// at any operation (I5).
/// </summary>
public interface IStep
{
    /// <summary>Its name; a method has each name once.</summary>
    Step Name { get; }

    /// <summary>The state in which it may be entered.</summary>
    StepState Entering { get; }

    /// <summary>The state in which it ends.</summary>
    StepState Leaving { get; }

    /// <summary>From this step on people notice something, so that the service must permit it.</summary>
    bool NeedsPermit => false;

    /// <summary>Once begun, it is finished or undone with or without a permit.</summary>
    bool EndsNeedOfPermit => false;

    /// <summary>Undone even where undoing a later step failed: afterwards nobody is locked out.</summary>
    bool IsAlwaysUndone => false;

    /// <summary>Does what is missing; its effects are durable on return.</summary>
    /// <exception cref="Fault">The docket cannot go on.</exception>
    void Perform(StepContext context);

    /// <summary>
    /// Who or what keeps it from being carried out and goes away without anybody's doing; null for nothing. Asked while
    /// a docket is put away.
    /// </summary>
    Fault? InTheWay(StepContext context) => null;

    /// <summary>
    /// Takes back what <see cref="Perform"/> did, as far as it came. Repeatable. What cannot be cleaned up now is
    /// reported and left to the next docket.
    /// </summary>
    /// <exception cref="Fault">It cannot be taken back; source and target both stay complete.</exception>
    void Undo(StepContext context) { }

    /// <summary>Whether this step's point of no return has passed: from there the docket only goes forward.</summary>
    bool IsPastReturn(StepContext context) => false;
}
