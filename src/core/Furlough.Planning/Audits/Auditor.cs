using Furlough.Model;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Audits;

/// <summary>Where a holding should live, as the last relocation of it left it.</summary>
/// <param name="Since">When it was left so, by the machine's clock: a survey that was begun before says nothing of
/// it.</param>
public sealed record Intended(
    Guid Machine,
    long Relocation,
    HoldingName Holding,
    Place Place,
    string Shown,
    IReadOnlyList<PointerHistory> Pointers,
    DateTimeOffset Since
)
{
    /// <summary>
    /// Where data of the holding was left on purpose, as the machine shows it: only the setting changed.
    /// </summary>
    public IReadOnlyList<string> DataLeftAt { get; init; } = [];
}

/// <summary>An original that waits, with the day from which it may be discarded.</summary>
/// <param name="Id">How people name the original: "o371".</param>
/// <param name="GatheredAt">When, by the machine's clock, what stood again at the source was last begun to be copied to
/// the live place.</param>
public sealed record Kept(
    Guid Machine,
    long Relocation,
    OriginalFacts Original,
    DateTimeOffset Until,
    DateTimeOffset? GatheredAt,
    string Id
);

/// <summary>
/// An errand that is overdue, or that someone declined after a relocation whose data still lives at its target.
/// </summary>
/// <param name="Account">The account that it concerns; empty for the machine as a whole.</param>
/// <param name="Declined">Who declined it, and why; null for one that is still to do.</param>
/// <param name="Relocations">The relocations that it is for.</param>
public sealed record Asked(
    Guid Machine,
    long Number,
    ErrandKind Kind,
    string Account,
    DateTimeOffset Due,
    (string By, string Reason)? Declined,
    IReadOnlyList<long> Relocations
);

/// <summary>Compares machines with what is intended.</summary>
public static class Auditor
{
    /// <summary>
    /// The code of the finding that tells of someone who cannot sign in although nothing under way needs that.
    /// </summary>
    public const string AccountKeptOut = "account-kept-out";

    /// <summary>Machines are asked to look again before they are audited.</summary>
    private static readonly TimeSpan OldSurvey = TimeSpan.FromDays(1);

    /// <summary>The findings, worst first.</summary>
    /// <param name="atWork">By machine: the accounts of which something is being relocated, and who may be locked out
    /// therefore.</param>
    public static IReadOnlyList<Finding> Audit(
        IEnumerable<FleetMachine> fleet,
        IEnumerable<Intended> intended,
        IEnumerable<Kept> kept,
        IEnumerable<Asked> asked,
        DateTimeOffset now,
        ILookup<Guid, string>? atWork = null
    )
    {
        var should = intended.ToLookup(i => i.Machine);
        var originals = kept.ToLookup(k => k.Machine);
        var errands = asked.ToLookup(a => a.Machine);
        List<Finding> findings = [];
        foreach (var machine in fleet)
        {
            if (machine.Survey is not { } survey)
            {
                findings.Add(
                    new Finding(
                        "never-surveyed",
                        Severity.Consent,
                        machine.Name,
                        null,
                        null,
                        $"{machine.Name} has never been surveyed: nothing is known of it.",
                        "See that its agent runs, then `furlough machine survey`; `furlough machine forget` if it is gone for good."
                    )
                );
                findings.AddRange(errands[machine.Id].Select(a => Look(machine, a)));
                continue;
            }
            if (machine.Silent)
                findings.Add(
                    new Finding(
                        "machine-silent",
                        Severity.Consent,
                        machine.Name,
                        null,
                        null,
                        $"{machine.Name} is silent: what this audit says of it was so at {survey.TakenAt:yyyy-MM-dd HH:mm}Z.",
                        "Switch it on or look at its connection, then audit again; `furlough machine forget` if it is gone for good."
                    )
                );
            else if (now - survey.TakenAt > OldSurvey)
                findings.Add(
                    new Finding(
                        "survey-old",
                        Severity.Consent,
                        machine.Name,
                        null,
                        null,
                        $"{machine.Name} answers, but did not look again when it was asked: what this audit says "
                            + $"of it was so at {survey.TakenAt:yyyy-MM-dd HH:mm}Z by its own clock.",
                        "Compare its clock, look at its agent's log, then audit again."
                    )
                );
            var sources = originals[machine.Id]
                .Select(k => survey.Show(k.Original.Source))
                .ToHashSet(StringComparer.Ordinal);
            foreach (var one in should[machine.Id].Where(i => i.Since <= survey.TakenAt))
                findings.AddRange(Look(machine, survey, one, sources));
            foreach (var one in originals[machine.Id])
                findings.AddRange(Look(machine, survey, one, now));
            findings.AddRange(
                survey
                    .Accounts.Where(a => a.KeptOut is not null && atWork?[machine.Id].Contains(a.Name) != true)
                    .Select(a => Look(machine, a))
            );
            findings.AddRange(survey.CommonFolders.SelectMany(f => f.Left.Select(l => Look(machine, f, l))));
            findings.AddRange(errands[machine.Id].Select(a => Look(machine, a)));
        }
        return [.. findings.OrderBy(f => f.Severity).ThenBy(f => f.Machine, StringComparer.Ordinal)];
    }

    /// <param name="sources">Where originals wait: what stands there again is reported with them.</param>
    private static IEnumerable<Finding> Look(FleetMachine machine, Survey survey, Intended one, HashSet<string> sources)
    {
        Finding Say(string code, Severity severity, string text, string remedy) =>
            new(code, severity, machine.Name, one.Holding.Account, one.Holding.Name, text, remedy);

        var volume = survey.VolumeOf(one.Place);
        if (volume is null)
        {
            yield return Say(
                "volume-absent",
                Severity.Blocking,
                $"The volume on which {one.Holding} should live (`{one.Shown}`) is absent from {machine.Name}.",
                "Attach or mount it again; nobody should sign in meanwhile."
            );
            yield break;
        }
        if (survey.Show(one.Place) is var shown && shown != one.Shown)
            yield return Say(
                "volume-elsewhere",
                Severity.Blocking,
                $"The volume of {one.Holding} on {machine.Name} is mounted elsewhere: `{shown}` and not `{one.Shown}`.",
                "Mount it where it was, or relocate again."
            );
        var holding = survey.Holdings.FirstOrDefault(h => h.Name == one.Holding);
        foreach (var pointer in one.Pointers)
        {
            var found = survey
                .Holdings.Where(h => h.Name.Account == one.Holding.Account)
                .SelectMany(h => h.Pointers)
                .FirstOrDefault(p => p.Address == pointer.Address)
                ?.Value
                ?? PointerValue.Absent;
            if (found == pointer.After)
                continue;
            yield return Say(
                "pointer-not-as-planned",
                Severity.Blocking,
                $"The setting {pointer.Address} on {machine.Name} reads `{found.Text ?? "(nothing)"}` and should "
                    + $"read `{pointer.After.Text ?? "(nothing)"}`.",
                "Find out who put it back, then relocate again or correct the setting."
            );
        }
        if (
            one.Holding.Kind == HoldingKind.Home
            && survey
                .AccountOf(one.Holding)
                .Session?.Homes.Intersect(one.Pointers.Select(p => p.Before.Text))
                .FirstOrDefault()
                is { } former
        )
            yield return Say(
                "session-in-former-home",
                Severity.Consent,
                $"Something runs in {one.Holding.Account} on {machine.Name} that was started with the home "
                    + $"`{former}`, where it lived before: it reads and writes there.",
                "Have the account sign out, programs in the background too, and sign in afresh; then see whether "
                    + "anything stands again at the former place."
            );
        if (
            holding?.Stray is { Files: > 0 } stray
            && !sources.Contains(stray.PathShown)
            && !one.DataLeftAt.Contains(stray.PathShown)
        )
            yield return Say(
                "used-elsewhere",
                Severity.Consent,
                $"{one.Holding} on {machine.Name} lives at `{one.Shown}`, and its usual place `{stray.PathShown}` "
                    + $"has {Words.Count(stray.Files, "file")} of {Words.Size(stray.DataBytes)}: it was opened there, "
                    + "or something still writes there.",
                "Find out which program opens the usual place; take what is wanted to the live place manually."
            );
        if (holding is not { Present: true } && holding?.Place == one.Place)
            yield return Say(
                "place-missing",
                Severity.Blocking,
                $"The folder `{one.Shown}`, where {one.Holding} lives on {machine.Name}, is missing.",
                "Find it; until then keep the original."
            );
    }

    private static Finding Look(FleetMachine machine, AccountFacts account) =>
        new(
            AccountKeptOut,
            Severity.Blocking,
            machine.Name,
            account.Name,
            null,
            $"{account.Name} is locked out on {machine.Name} by Furlough, and no relocation under way needs "
                + $"that{(account.KeptOut is { Length: > 0 } why ? $": {why}" : "")}.",
            $"{(account.KeptOut is { Length: > 0 } ? "Put that right, then" : "Start the agent again, which lets the person in; or")} "
                + $"`furlough-agent let-in {account.Name}` at the machine."
        );

    private static Finding Look(FleetMachine machine, CommonFolderFacts folder, LeftFiles left) =>
        new(
            "left-in-common-folder",
            Severity.Advice,
            machine.Name,
            left.Account,
            folder.Name,
            $"{Words.Count(left.Files, "file")} of {left.Account} ({Words.Size(left.DataBytes)}), last changed "
                + $"{left.LastChange:yyyy-MM-dd HH:mm}Z, {(left.Files == 1 ? "lies" : "lie")} in `{folder.PathShown}` "
                + $"on {machine.Name}, which should be empty.",
            $"Have {left.Account} take them along, or empty the folder manually: the next ones who come see them."
        );

    private static Finding Look(FleetMachine machine, Asked errand)
    {
        var (account, numbers) = (
            errand.Account.Length == 0 ? null : errand.Account,
            string.Join(' ', errand.Relocations)
        );
        return errand.Declined is { } declined
            ? new Finding(
                "errand-declined",
                Severity.Consent,
                machine.Name,
                account,
                null,
                $"{declined.By} declined errand {errand.Number} ({errand.Kind.Word()}) on "
                    + $"{machine.Name}{(account is null ? "" : $" for {account}")}: {declined.Reason}",
                $"Look at it; `furlough relocation return {numbers}` takes back what it was for."
            )
            : new Finding(
                "errand-overdue",
                Severity.Advice,
                machine.Name,
                account,
                null,
                $"Errand {errand.Number} ({errand.Kind.Word()}) on "
                    + $"{machine.Name}{(account is null ? "" : $" for {account}")} was due on "
                    + $"{errand.Due:yyyy-MM-dd HH:mm}Z.",
                "See `furlough errand list`: have it done, or decline it."
            );
    }

    private static IEnumerable<Finding> Look(FleetMachine machine, Survey survey, Kept kept, DateTimeOffset now)
    {
        var original = survey.Originals.FirstOrDefault(o => o.Docket == kept.Original.Docket) ?? kept.Original;
        Finding Say(string code, Severity severity, string text, string remedy) =>
            new(code, severity, machine.Name, original.Holding.Account, original.Holding.Name, text, remedy);

        if (original.WrittenTo)
            yield return Say(
                "original-written-to",
                Severity.Consent,
                $"Someone wrote to the original of {original.Holding} on {machine.Name} after it was set aside.",
                "Copy what is new to the live place, then look at it manually."
            );
        if (original.Recreated is { } again)
        {
            var there =
                again.Files == 0
                    ? "an empty folder"
                    : $"a folder with {again.Files:N0} {(again.Files == 1 ? "file" : "files")} ({Words.Size(again.DataBytes)})";
            var place = survey.Show(original.Source);
            yield return kept.GatheredAt is { } gathered && !(again.LastChange > gathered)
                ? Say(
                    "source-recreated",
                    Severity.Advice,
                    $"At the former place of {original.Holding} on {machine.Name} stands {there}; it was copied "
                        + $"to the live place on {gathered:yyyy-MM-dd} and not changed since.",
                    $"Find the program that still uses `{place}`, then remove the folder manually."
                )
            : again.Files == 0
                ? Say(
                    "source-recreated",
                    Severity.Advice,
                    $"At the former place of {original.Holding} on {machine.Name} stands {there} again.",
                    $"Find the program that still uses `{place}`."
                )
            : Say(
                "written-at-former-place",
                Severity.Consent,
                $"At the former place of {original.Holding} on {machine.Name} stands {there} again, last changed "
                    + $"{again.LastChange:yyyy-MM-dd HH:mm}Z.",
                $"`furlough relocation gather {kept.Relocation}` copies it to the live place; then find the "
                    + $"program that still uses `{place}`."
            );
        }
        if (now > kept.Until)
            yield return Say(
                "original-overdue",
                Severity.Advice,
                $"The original of {original.Holding} on {machine.Name} ({Words.Size(original.DataBytes)}) is past "
                    + $"its keeping time since {kept.Until:yyyy-MM-dd}.",
                $"`furlough original discard {kept.Id}` frees the space."
            );
    }
}
