using Furlough.Model;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;

namespace Furlough.Service.Errands;

/// <summary>What someone has to do, from what was planned for the relocations that it is for.</summary>
internal static class ErrandText
{
    /// <summary>The instructions.</summary>
    /// <param name="rows">The relocations of its machine that it is for.</param>
    /// <param name="why">What is in the way, or what failed; null where the brief asked for it.</param>
    internal static string Of(
        ErrandKind kind,
        MachineRow machine,
        string account,
        IReadOnlyList<RelocationRow> rows,
        Failure? why
    )
    {
        List<PlannedRelocation> relocations = [.. rows.Select(Column.PlannedOf)];
        var place = $"{machine.Name} ({machine.Room})";
        var roots = string.Join(", ", relocations.Select(r => $"`{r.TargetShown}`").Distinct().Take(3));
        return kind switch
        {
            ErrandKind.BeThere => $"Go to {place}. {Begins(relocations)}",
            ErrandKind.PlugIn when why is not null =>
                $"Attach the missing volume to {place}: {why.Text} When this errand is finished, it is tried again.",
            ErrandKind.PlugIn => $"Attach the volume for {roots} to {place}. {Begins(relocations)}",
            ErrandKind.Format =>
                $"Format the volume for {roots} of {place} with a file system that keeps owners, rights and "
                    + $"links, survey the machine, and see that its plan still fits. {Begins(relocations)}",
            ErrandKind.SignOut when why is not null =>
                $"Have {account} sign out of {place}, programs in the background too: {why.Text} It continues automatically then.",
            ErrandKind.SignOut => $"Have {account} sign out of {place}. {Begins(relocations)}",
            ErrandKind.CloseFiles or ErrandKind.ClosePrograms =>
                $"Have them closed on {place}: {why?.Text} It continues automatically then.",
            ErrandKind.Restart when relocations.Any(r => r.Afterwards.Contains(ErrandKind.Restart)) =>
                $"Restart {place} when nobody works there, so that everything reads its settings again. Switching "
                    + "accounts is not enough. The machine says itself that it was restarted; where it cannot, finish this errand.",
            ErrandKind.Restart => $"Restart {place} when nobody works there. {Begins(relocations)}",
            ErrandKind.SignIn =>
                $"Have {account} sign in afresh on {place}: whatever it left running is to be ended first. The "
                    + "machine says itself when it is signed in with its home where that is now; where it cannot, look "
                    + "and finish this errand.",
            ErrandKind.SecondFactor =>
                $"Sign in as {account} on {place} and give the second factor where a program asks for it, before "
                    + "anybody chooses another folder there.",
            _ => $"Sign in as {account} on {place} and open "
                + $"{string.Join(", ", relocations.Select(r => $"{r.Holding.Name} at `{r.TargetShown}`").Take(5))}: "
                + "is everything there that was, and does it open? If something is missing, decline with what it "
                + $"is; `furlough relocation return {string.Join(' ', rows.Select(r => r.Number))}` takes it back.",
        };
    }

    /// <summary>What begins when the errand is finished, and what that means for people.</summary>
    private static string Begins(List<PlannedRelocation> relocations)
    {
        var outage = TimeSpan.FromTicks(relocations.Sum(r => r.Forecast?.Outage.Likely.Ticks ?? 0));
        var accounts = relocations.Select(r => r.Holding.Account).Where(a => a.Length > 0).Distinct().ToList();
        return $"Then finish this errand: {Words.Count(relocations.Count, "relocation")} "
            + $"({Words.Size(relocations.Sum(r => r.DataBytes))}) {(relocations.Count == 1 ? "waits" : "wait")} for it"
            + (
                accounts.Count == 0
                    ? "."
                    : $"; {string.Join(", ", accounts)} {(accounts.Count == 1 ? "is" : "are")} locked out for about "
                        + $"{Words.Length(outage)} in total."
            );
    }
}
