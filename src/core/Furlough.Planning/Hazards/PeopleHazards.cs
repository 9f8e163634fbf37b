using Furlough.Model;
using Furlough.Planning.Briefs;

namespace Furlough.Planning.Hazards;

/// <summary>Accounts and the people behind them.</summary>
internal static class PeopleHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "account-roams",
            Severity.Consent,
            "The account's home follows it from machine to machine: elsewhere the folder would be missing.",
            "Leave the account out, or accept that its folder stays on this machine.",
            c =>
                !c.Account.Roams
                    ? null
                    : $"The home of {c.Account.Name} follows the account to other machines; {c.Holding.Name.Name} "
                        + $"would then be on {c.Machine.Name} alone."
        ),
        new(
            "account-from-directory",
            Severity.Advice,
            "The account comes from a directory, which may put settings back at sign-in.",
            "Look at the rules of the directory before the run, and make an audit some days after it.",
            c =>
                !c.Account.FromDirectory
                    ? null
                    : $"{c.Account.Name} on {c.Machine.Name} comes from a directory; its rules may put settings back at sign-in."
        ),
        new(
            "account-signed-in",
            Severity.Advice,
            "The account is signed in.",
            "Ask for signing out before the run, or have people told: `work: {tell-people: …}` in the brief. "
                + "Files still open stop the relocation and change nothing.",
            c => !c.Account.SignedIn ? null : $"{c.Account.Name} was signed in on {c.Machine.Name} at the survey."
        ),
        new(
            "person-wanted",
            Severity.Advice,
            "The brief wants something of a person before the relocation begins.",
            "When the run has come to it, `furlough errand list` says what to do and until when; finishing the errand begins it.",
            c =>
                !c.Item.WaitsForPerson
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} waits for a person: {Wanted(c.Item)}."
        )
        {
            OfSettings = true,
        },
    ];

    internal static IReadOnlyList<MachineHazard> OfMachines { get; } =
    [
        new(
            "people-not-told",
            Severity.Advice,
            "The brief asks for people to be notified before they are locked out, and the machine cannot show them anything.",
            "Tell them yourself; `furlough plan notice` writes what to say.",
            c =>
                c.Machine.Survey is not { CannotTell: true } || c.Relocations.All(r => r.Terms.Telling is null)
                    ? null
                    : $"{c.Machine.Name} has nothing that shows notices: anyone who is signed in is locked out "
                        + "without having been notified there."
        ),
        new(
            "no-fallback-administrator",
            Severity.Advice,
            "No account is known as fallback administrator, who can sign in when a volume fails.",
            "Make a local administrator whose home stays on the system volume, and name it to the agent with --fallback.",
            c =>
                c.Machine.Survey is not { } survey || c.Relocations.Count == 0 || survey.Accounts.Any(a => a.Fallback)
                    ? null
                    : $"{c.Machine.Name} has no fallback administrator: if the target volume fails, nobody may be "
                        + "able to put it right at the desk."
        ),
    ];

    private static string Wanted(RelocateItem item)
    {
        ErrandKind[] first = item.Attended ? [ErrandKind.BeThere] : [];
        return string.Join(", ", first.Concat(item.Beforehand).Select(k => k.Word()));
    }
}
