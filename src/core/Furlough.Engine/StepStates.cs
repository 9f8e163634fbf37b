using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>
/// In which state a relocation, return or fall-back must be when a step is entered, and in which state the step leaves it. Checked by
/// <see cref="RelocationEngine"/> at both moments:
/// <code>
/// step       settings lead to      the account is
/// prepare    source -> source      let in -> let in
/// copy       source -> source      as the method has it
/// prove      source -> source      as the method has it
/// quiesce    source -> source      either -> kept out
/// catch-up   source -> source      kept out -> kept out
/// repoint    either -> target      kept out -> kept out
/// set-aside  target -> target      kept out -> kept out
/// reopen     target -> target      either -> let in
/// confirm    target -> target      let in -> let in
/// mend       target -> target      let in -> let in
/// </code>
/// Where only settings change, nobody is kept out.
/// Gathering and discarding leave the settings alone: they lead to the docket's target all the time, and nobody is kept out.
/// "Either" stands where a crash may have cut the step short. Where sign-in cannot be barred, nobody counts as kept out.
/// </summary>
internal static class StepStates
{
    private sealed record State(Live? Leads, bool? KeptOut);

    private static readonly Dictionary<Step, (State Entering, State Leaving)> Table = new()
    {
        [Step.Prepare] = (new(Live.Source, false), new(Live.Source, false)),
        [Step.Copy] = (new(Live.Source, null), new(Live.Source, null)),
        [Step.Prove] = (new(Live.Source, null), new(Live.Source, null)),
        [Step.Quiesce] = (new(Live.Source, null), new(Live.Source, true)),
        [Step.CatchUp] = (new(Live.Source, true), new(Live.Source, true)),
        [Step.Repoint] = (new(null, true), new(Live.Target, true)),
        [Step.SetAside] = (new(Live.Target, true), new(Live.Target, true)),
        [Step.Reopen] = (new(Live.Target, null), new(Live.Target, false)),
        [Step.Confirm] = (new(Live.Target, false), new(Live.Target, false)),
        [Step.Mend] = (new(Live.Target, false), new(Live.Target, false)),
    };

    private static readonly State Untouched = new(Live.Target, null);

    /// <summary>The state in which the step may be entered, read from reality.</summary>
    /// <exception cref="Fault"><c>pointer-changed</c>: somebody changed a setting since the step before.</exception>
    /// <exception cref="InvalidOperationException">The engine itself is wrong.</exception>
    internal static void RequireEntering(Work work, Step step)
    {
        Require(work, step, StatesOf(work, step).Entering, "entered");
    }

    /// <summary>The state in which the step must have left it.</summary>
    internal static void RequireLeaving(Work work, Step step)
    {
        Require(work, step, StatesOf(work, step).Leaving, "left");
    }

    private static (State Entering, State Leaving) StatesOf(Work work, Step step)
    {
        if (!work.Docket.Work.MovesHolding())
            return (Untouched, Untouched);
        var (entering, leaving) = Table[step];
        return work.Docket.Method == Method.Setting
            ? (entering with { KeptOut = false }, leaving with { KeptOut = false })
            : (entering, leaving);
    }

    private static void Require(Work work, Step step, State state, string moment)
    {
        if (state.Leads == Live.Source)
            work.RequirePointersAtSource();
        if (state.Leads == Live.Target)
            work.RequirePointersAtTarget();
        if (
            state.KeptOut is { } keptOut
            && keptOut != QuiesceStep.IsKeptOut(work)
            && (!keptOut || QuiesceStep.CanKeepOut(work))
        )
            throw new InvalidOperationException(
                $"{step.Word()} was {moment} with the account {(keptOut ? "let in" : "kept out")}."
            );
    }
}
