using System.Globalization;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

/// <summary>
/// Small desks whose plans were worked out manually. Sizes are GB; every holding has 1,000 files, which take half a
/// cluster each: 2 MB together.
/// </summary>
public sealed class KnownAnswerTests
{
    private const string Plain =
        "machines: all\nvolumes: {roomy: {attached: internal, system: false}}\nrelocate:\n  - {folders: "
        + "[Desktop, Documents, Music, Pictures], onto: roomy, path: \"People/{account}/{folder}\"}\n"
        + "keep-original: 7 days\n";

    /// <summary>
    /// What it is about; volumes as "letter size/free [kind]"; holdings as "folder size [account] [@where it lives]";
    /// what is changed in the brief; sequence; lowest free space; free after discarding; hazards.
    /// </summary>
    public static TheoryData<string, string, string, string, string, string, string, string> Desk =>
        new()
        {
            { "one folder", "C 200/40, D 1000/500", "Pictures 10", "", "Pictures", "C 40, D 490", "C 50, D 490", "" },
            {
                "smallest first",
                "C 200/40, D 1000/500",
                "Pictures 10, Documents 2",
                "",
                "Documents, Pictures",
                "C 40, D 488",
                "C 52, D 488",
                ""
            },
            {
                "equal sizes by name",
                "C 200/40, D 1000/500",
                "Pictures 5, Music 5, Documents 5",
                "",
                "Documents, Music, Pictures",
                "C 40, D 485",
                "C 55, D 485",
                ""
            },
            {
                "two accounts by name",
                "C 200/40, D 1000/500",
                "Pictures 10 bo.tarrant, Pictures 10",
                "",
                "Pictures, Pictures bo.tarrant",
                "C 40, D 480",
                "C 60, D 480",
                ""
            },
            {
                "the fallback administrator stays",
                "C 200/40, D 1000/500",
                "Pictures 10 keeper, Music 1",
                "",
                "Music",
                "C 40, D 499",
                "C 41, D 499",
                ""
            },
            { "nothing to do", "C 200/40, D 1000/500", "", "", "", "C 40, D 500", "C 40, D 500", "" },
            {
                "an empty folder",
                "C 200/40, D 1000/500",
                "Pictures 0",
                "",
                "Pictures",
                "C 40, D 500",
                "C 40, D 500",
                ""
            },
            {
                "a full system volume",
                "C 200/0, D 1000/500",
                "Pictures 10",
                "",
                "Pictures",
                "C 0, D 490",
                "C 10, D 490",
                ""
            },
            {
                "warm takes the same space",
                "C 200/40, D 1000/500",
                "Pictures 10",
                "path=>method: warm, path",
                "Pictures",
                "C 40, D 490",
                "C 50, D 490",
                ""
            },
            { "too small", "C 200/40, D 1000/5", "Pictures 10", "", "", "C 40, D 5", "C 40, D 5", "target-too-small" },
            {
                "too small by half a cluster a file",
                "C 200/40, D 1000/10",
                "Pictures 10",
                "",
                "",
                "C 40, D 10",
                "C 40, D 10",
                "target-too-small"
            },
            {
                "the second fits beside the first",
                "C 200/40, D 1000/12",
                "Pictures 10, Documents 1",
                "",
                "Documents, Pictures",
                "C 40, D 1",
                "C 51, D 1",
                ""
            },
            {
                "the second does not fit beside the first",
                "C 200/40, D 1000/15",
                "Pictures 10, Documents 8",
                "",
                "Documents",
                "C 40, D 7",
                "C 48, D 7",
                "target-too-small"
            },
            {
                "a third that is smaller goes before",
                "C 200/40, D 1000/15",
                "Pictures 10, Documents 8, Music 3",
                "",
                "Music, Documents",
                "C 40, D 4",
                "C 51, D 4",
                "target-too-small"
            },
            {
                "reserve as a share",
                "C 200/40, D 1000/105",
                "Pictures 10",
                "keep-original=>reserve: {others: 10%}\nkeep-original",
                "Pictures",
                "C 40, D 95",
                "C 50, D 95",
                "reserve-broken"
            },
            {
                "reserve just kept",
                "C 200/40, D 1000/105",
                "Pictures 10",
                "keep-original=>reserve: {others: 94.99 GB}\nkeep-original",
                "Pictures",
                "C 40, D 95",
                "C 50, D 95",
                ""
            },
            {
                "reserve just broken",
                "C 200/40, D 1000/105",
                "Pictures 10",
                "keep-original=>reserve: {others: 95 GB}\nkeep-original",
                "Pictures",
                "C 40, D 95",
                "C 50, D 95",
                "reserve-broken"
            },
            {
                "reserve broken by the second",
                "C 200/40, D 1000/105",
                "Pictures 15, Documents 5",
                "keep-original=>reserve: {others: 90 GB}\nkeep-original",
                "Documents, Pictures",
                "C 40, D 85",
                "C 60, D 85",
                "reserve-broken"
            },
            {
                "the system volume's reserve is not a target's",
                "C 200/40, D 1000/500",
                "Pictures 10",
                "keep-original=>reserve: {system: 50%}\nkeep-original",
                "Pictures",
                "C 40, D 490",
                "C 50, D 490",
                ""
            },
            { "no second volume", "C 200/40", "Pictures 10", "", "", "C 40", "C 40", "no-volume-for-role" },
            {
                "only a thumb drive",
                "C 200/40, E 64/60 removable",
                "Pictures 10",
                "",
                "",
                "C 40, E 60",
                "C 40, E 60",
                "no-volume-for-role"
            },
            {
                "a thumb drive where the brief allows it",
                "C 200/40, E 64/60 removable",
                "Pictures 10",
                "attached: internal, =>",
                "Pictures",
                "C 40, E 50",
                "C 50, E 50",
                "portable-target-unencrypted, target-on-removable-volume"
            },
            {
                "an external volume where the brief allows it",
                "C 200/40, E 900/600 external",
                "Pictures 10",
                "attached: internal, =>",
                "Pictures",
                "C 40, E 590",
                "C 50, E 590",
                "portable-target-unencrypted, target-on-external-volume"
            },
            {
                "no place for a desktop",
                "C 200/40, E 900/600 external",
                "Desktop 1",
                "attached: internal, =>",
                "",
                "C 40, E 600",
                "C 40, E 600",
                "portable-target-unencrypted, target-on-external-volume"
            },
            {
                "the roomier of two",
                "C 200/40, D 1000/300, E 500/450",
                "Pictures 10",
                "",
                "Pictures",
                "C 40, D 300, E 440",
                "C 50, D 300, E 440",
                ""
            },
            {
                "all onto the one that is roomier now",
                "C 200/40, D 1000/500, E 600/495",
                "Pictures 100, Documents 2",
                "",
                "Documents, Pictures",
                "C 40, D 398, E 495",
                "C 142, D 398, E 495",
                ""
            },
            {
                "the faster of two",
                "C 200/40, D 1000/500, E 200/150 solid",
                "Pictures 10",
                "system: false}=>system: false, prefer: fastest}",
                "Pictures",
                "C 40, D 500, E 140",
                "C 50, D 500, E 140",
                ""
            },
            {
                "within one volume nothing is copied",
                "C 200/40, D 1000/500",
                "Pictures 30 @D/Old/Pictures",
                "",
                "Pictures",
                "C 40, D 500",
                "C 40, D 500",
                ""
            },
            {
                "within a full volume too",
                "C 200/40, D 1000/1",
                "Pictures 30 @D/Old/Pictures",
                "",
                "Pictures",
                "C 40, D 1",
                "C 40, D 1",
                ""
            },
            {
                "one copied, one renamed",
                "C 200/40, D 1000/500",
                "Pictures 30 @D/Old/Pictures, Documents 2",
                "",
                "Documents, Pictures",
                "C 40, D 498",
                "C 42, D 498",
                ""
            },
            {
                "there already",
                "C 200/40, D 1000/500",
                "Pictures 30 @D/People/asa.lind/Pictures",
                "",
                "",
                "C 40, D 500",
                "C 40, D 500",
                "already-there"
            },
            {
                "there already, and another",
                "C 200/40, D 1000/500",
                "Pictures 30 @D/People/asa.lind/Pictures, Documents 2",
                "",
                "Documents",
                "C 40, D 498",
                "C 42, D 498",
                "already-there"
            },
            {
                "two at one place",
                "C 200/40, D 1000/500",
                "Pictures 10, Pictures 20 bo.tarrant",
                "/{account}=>",
                "Pictures",
                "C 40, D 490",
                "C 50, D 490",
                "one-place-twice"
            },
            {
                "below another holding",
                "C 200/40, D 1000/500",
                "Pictures 10, Music 5 @D/People",
                "",
                "",
                "C 40, D 500",
                "C 40, D 500",
                "target-inside-holding, target-inside-source"
            },
            {
                "a folder that two accounts share",
                "C 200/40, D 1000/500",
                "Pictures 10, Pictures 10 bo.tarrant @C/Accounts/asa.lind/Pictures",
                "",
                "",
                "C 40, D 500",
                "C 40, D 500",
                "shared-by-accounts"
            },
            {
                "only large ones",
                "C 200/40, D 1000/500",
                "Pictures 10, Documents 2",
                "onto=>at-least: 5 GB, onto",
                "Pictures",
                "C 40, D 490",
                "C 50, D 490",
                ""
            },
            {
                "only small ones",
                "C 200/40, D 1000/500",
                "Pictures 10, Documents 2",
                "onto=>at-most: 5 GB, onto",
                "Documents",
                "C 40, D 498",
                "C 42, D 498",
                ""
            },
            {
                "on another machine",
                "C 200/40, D 1000/500",
                "Pictures 10",
                "onto=>on: [map-01], onto",
                "",
                "C 40, D 500",
                "C 40, D 500",
                ""
            },
            {
                "back onto the system volume",
                "C 200/40, D 1000/500",
                "Pictures 10 @D/People/asa.lind/Pictures",
                "system: false=>system: true",
                "Pictures",
                "C 30, D 500",
                "C 30, D 510",
                "target-on-system-volume"
            },
            {
                "a volume that fills up while originals are kept",
                "C 200/40 +1, D 1000/500",
                "Pictures 10",
                "",
                "Pictures",
                "C 33, D 490",
                "C 43, D 490",
                ""
            },
            {
                "and so falls below its reserve",
                "C 200/45 +1, D 1000/500",
                "Pictures 10",
                "keep-original=>reserve: {system: 20%}\nkeep-original",
                "Pictures",
                "C 38, D 490",
                "C 48, D 490",
                "growth-breaks-reserve"
            },
            {
                "with a shorter keeping time it does not",
                "C 200/45 +1, D 1000/500",
                "Pictures 10",
                "keep-original: 7=>reserve: {system: 20%}\nkeep-original: 3",
                "Pictures",
                "C 42, D 490",
                "C 52, D 490",
                ""
            },
            {
                "the target fills up too",
                "C 200/40, D 1000/500 +2",
                "Pictures 10",
                "",
                "Pictures",
                "C 40, D 476",
                "C 50, D 476",
                ""
            },
            {
                "a volume that empties is not counted on",
                "C 200/40 -3, D 1000/500",
                "Pictures 10",
                "",
                "Pictures",
                "C 40, D 490",
                "C 50, D 490",
                ""
            },
        };

    [Theory]
    [MemberData(nameof(Desk))]
    public void A_desk_is_planned_as_worked_out_by_hand(
        string about,
        string volumes,
        string holdings,
        string change,
        string sequence,
        string lowest,
        string after,
        string hazards
    )
    {
        var (from, to) = change.Split("=>") is [var a, var b] ? (a, b) : ("title", "title");
        var brief = BriefReader.Read(
            "furlough-brief: 1\ntitle: Known\n" + Plain.Replace(from, to, StringComparison.Ordinal)
        );
        Dictionary<string, Growth> growth = [];
        var survey = Survey(
            [.. Parts(volumes).Select(v => Volume(v, growth))],
            [.. Parts(holdings).Select(Holding)]
        ) with
        {
            Accounts =
            [
                new AccountFacts("asa.lind", "1001", "", false, false),
                new AccountFacts("bo.tarrant", "1002", "", false, false),
                new AccountFacts("keeper", "1900", "", true, false),
            ],
        };
        var plan = Plan(brief, Machine(survey) with { Growth = growth });
        var machine = plan.Machines.Single();
        string Free(Func<PlannedVolume, long> what) =>
            string.Join(
                ", ",
                machine.Volumes.Select(v =>
                    string.Create(CultureInfo.InvariantCulture, $"{v.Root[0]} {Math.Round(what(v) / 1e9, 1):0.#}")
                )
            );
        string.Join(
                ", ",
                plan.Relocations.Where(r => r.Blocked.Count == 0)
                    .OrderBy(r => r.Sequence)
                    .Select(r => r.Holding.Name + (r.Holding.Account == "asa.lind" ? "" : " " + r.Holding.Account))
            )
            .ShouldBe(sequence, about);
        Free(v => v.LowestFreeBytes).ShouldBe(lowest, about);
        Free(v => v.FreeAfterDiscardBytes).ShouldBe(after, about);
        string.Join(", ", plan.Hazards.Select(h => h.Code).Distinct().Order(StringComparer.Ordinal))
            .ShouldBe(hazards, about);
    }

    private static string[] Parts(string list) => list.Split(", ", StringSplitOptions.RemoveEmptyEntries);

    private static VolumeFacts Volume(string text, Dictionary<string, Growth> growth)
    {
        var words = text.Split(' ');
        var (size, free) = words[1].Split('/') is [var s, var f]
            ? (long.Parse(s, CultureInfo.InvariantCulture), long.Parse(f, CultureInfo.InvariantCulture))
            : default;
        var (kind, key) = (words.ElementAtOrDefault(2) ?? "", "volume " + words[0]);
        if (kind.Length > 0 && kind[0] is '+' or '-')
            growth[key] = new Growth(double.Parse(kind, CultureInfo.InvariantCulture) * GB, 0, 0, 60, 60);
        return (words[0] == "C" ? Small() : Data()) with
        {
            Identity = new VolumeIdentity(key, key),
            Root = words[0] + ":",
            SizeBytes = size * GB,
            FreeBytes = free * GB,
            Attached = Words.Find<Attachment>(kind) ?? Attachment.Internal,
            Medium = kind == "solid" || words[0] == "C" ? Medium.Solid : Medium.Rotating,
        };
    }

    private static HoldingFacts Holding(string text)
    {
        var words = text.Split(' ');
        var account = words.Skip(2).FirstOrDefault(w => w[0] != '@') ?? "asa.lind";
        var at = words.FirstOrDefault(w => w[0] == '@')?[1..] ?? $"C/Accounts/{account}/{words[0]}";
        return Desks.Holding(
            words[0],
            long.Parse(words[1], CultureInfo.InvariantCulture) * GB,
            account,
            new Place("volume " + at[0], at[2..])
        );
    }
}
