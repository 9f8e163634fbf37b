using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;

namespace Furlough.Service.Runs;

/// <summary>A relocation of a run that is not at rest.</summary>
/// <param name="Waits">Why it waits; null when it does not.</param>
/// <param name="SilentFor">How long its machine has been silent; null when it is not silent.</param>
/// <param name="Trouble">What keeps its machine's agent from working; null for nothing.</param>
internal sealed record StillToDo(
    long Number,
    string Machine,
    RelocationState State,
    string Wave,
    Failure? Waits,
    TimeSpan? SilentFor,
    string? Trouble
);

/// <summary>Says what a run waits for when nothing of it moves.</summary>
internal static class HoldUps
{
    /// <summary>What holds a run up; null when something moves, or nothing is left to do.</summary>
    internal static HeldUp? Of(RunRow run, IReadOnlyList<StillToDo> left, OpenTimes? hours)
    {
        if (run.State == RunState.Proposed)
            return null;
        var begun = left.Where(r => r.State != RelocationState.Planned).ToList();
        if (begun.Exists(r => r is { SilentFor: null, Trouble: null } && r.State != RelocationState.Waiting))
            return null;
        if (run.State == RunState.Paused)
            return new HeldUp("The run is paused: nothing is begun until someone resumes it.", []);
        if (run.State == RunState.Ended)
            return OfEnded(begun.FindAll(r => r.SilentFor is not null));
        var causes = Causes(begun);
        if (causes.Count > 0)
        {
            var wave =
                run.State == RunState.Running
                && left.Any(r => r.State == RelocationState.Planned && !begun.Exists(b => b.Wave == r.Wave))
                    ? "The next wave begins"
                : run.State == RunState.Halted ? "The run was halted and ends"
                : "The run ends";
            return new HeldUp(
                $"{wave} when these are over: {string.Join("; ", causes)}.",
                [.. begun.Where(r => r.State == RelocationState.Queued).Select(r => r.Number).Order()]
            );
        }
        if (left.Count > 0 && hours is { IsOpen: false })
            return new HeldUp(
                hours.Next is { } next
                    ? $"It is outside the allowed hours, which begin at {next.From:u}."
                    : "Its allowed hours are over, and no further ones are to come.",
                []
            );
        return null;
    }

    private static HeldUp? OfEnded(IReadOnlyList<StillToDo> silent) =>
        silent.Count == 0
            ? null
            : new HeldUp(
                $"The run has ended; {SilentOnes(silent)}, will say how far they came when they are seen again.",
                []
            );

    private static List<string> Causes(List<StillToDo> begun)
    {
        List<string> causes = [];
        var silent = begun.FindAll(r => r.SilentFor is not null);
        if (silent.Count > 0)
            causes.Add(SilentOnes(silent));
        var heard = begun.Where(r => r.SilentFor is null).ToLookup(r => r.Trouble is not null);
        foreach (var group in heard[true].GroupBy(r => r.Trouble))
            causes.Add($"{Words.Count(group.Count(), "relocation")} on {Names([.. group])}: {group.Key}");
        foreach (var group in heard[false].GroupBy(r => r.Waits?.Code).OrderByDescending(g => g.Count()))
        {
            var code = group.Key is null ? "" : $" ({group.Key})";
            causes.Add($"{Words.Count(group.Count(), "relocation")} on {Names([.. group])}, waiting{code}");
        }
        return causes;
    }

    private static string SilentOnes(IReadOnlyList<StillToDo> silent) =>
        $"{Words.Count(silent.Count, "relocation")} on {Names(silent)}, silent for "
        + $"{Words.Length(silent.Max(r => r.SilentFor!.Value))}";

    private static string Names(IReadOnlyList<StillToDo> rows)
    {
        const int most = 3;
        return Words.Some([.. rows.Select(r => r.Machine).Distinct().Order(StringComparer.Ordinal)], most);
    }
}
