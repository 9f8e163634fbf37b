using Furlough.Model;

namespace Furlough.Protocol;

/// <summary>Failures as people read them in a terminal, a report or a mail: with the commands that come next.</summary>
public static class FailureWords
{
    /// <summary>What happened, where the data is now, and what to do.</summary>
    public static IReadOnlyList<string> Sentences(this Failure failure) =>
        [.. new[] { failure.Text, failure.Where, LockedOut(failure), ToDo(failure) }.OfType<string>()];

    /// <summary>The same in one paragraph.</summary>
    public static string InFull(this Failure failure) => string.Join(' ', failure.Sentences());

    private static string? LockedOut(Failure failure) =>
        failure.LockedOut is not { } account
            ? null
            : $"{account} is still locked out: `furlough-agent let-in {account}` at the machine lets the person sign in again.";

    private static string? ToDo(Failure failure) =>
        (failure.Remedy, Next(failure)) switch
        {
            ("", null) => null,
            ("", var next) => next,
            (var remedy, null) => remedy,
            var (remedy, next) => $"{remedy} {next}",
        };

    /// <summary>
    /// The sentence with the command; null where nothing comes next, and for failures of earlier versions, whose remedy
    /// has the command.
    /// </summary>
    private static string? Next(Failure failure)
    {
        var number = failure.Relocation;
        return failure.Next switch
        {
            NextStep.Wait => "It continues automatically.",
            NextStep.Retry => $"To retry: `furlough relocation retry {number}`.",
            NextStep.Return => $"To return it: `furlough relocation return {number}`.",
            NextStep.FallBack => $"To fall back again: `furlough relocation fall-back {number}`.",
            NextStep.Gather => $"To gather again: `furlough relocation gather {number}`.",
            NextStep.Discard =>
                "To discard it: `furlough original list` shows its identifier, then `furlough original discard`.",
            NextStep.DiscardOriginalFirst =>
                $"`furlough original list` shows the original's identifier. To retry: `furlough relocation return {number}`.",
            NextStep.DiscardAcknowledged =>
                "To discard it all the same: `furlough original discard` with `--acknowledge shrunk`.",
            NextStep.Plan =>
                "Then survey the machine and make a new plan: `furlough machine survey`, `furlough plan make`.",
            NextStep.Audit => "To check that everything is as intended: `furlough audit make`.",
            NextStep.Resume => "To let it continue: `furlough run resume`.",
            NextStep.Release => "To let it continue: `furlough machine release`.",
            NextStep.Begin =>
                $"`furlough errand list` shows what is to be done first; `furlough relocation begin {number}` starts it without that.",
            NextStep.BackOut => $"To put everything back: `furlough relocation back-out {number}`.",
            _ => null,
        };
    }
}
