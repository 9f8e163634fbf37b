using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Planning.Briefs;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

/// <summary>Whole homes in briefs and plans.</summary>
public sealed class HomeTests
{
    private static Brief Homes(string more = "") =>
        Brief("folders: [Documents, Pictures]", $"homes: whole{more}") is var b
            ? b with
            {
                Relocate = [b.Relocate[0] with { Path = Template.Parse("Homes/{account}") }],
            }
            : null!;

    private static HoldingFacts Home(string account = "asa.lind", long bytes = 30 * GB, Place? place = null) =>
        Holding("home", bytes, account, place ?? new Place("sys", $"Accounts/{account}")) with
        {
            Name = new HoldingName(account, HoldingKind.Home, "home"),
            PathShown = $"C:\\Accounts\\{account}",
            Home = new HomeFacts([], 0, null),
        };

    private static Survey Desk(params HoldingFacts[] holdings) =>
        Survey([Small(), Data()], [Home("keeper", GB), .. holdings]);

    [Fact]
    public void A_home_goes_with_everything_in_it_and_its_folders_are_no_hindrance()
    {
        var plan = Plan(Homes(), Desk(Home(), Holding("Pictures"), Holding("Documents")));
        plan.Relocations.Single()
            .ShouldSatisfyAllConditions(
                r => r.Holding.ToString().ShouldBe("home of asa.lind"),
                r => r.Method.ShouldBe(Method.Cold),
                r => r.TargetShown.ShouldBe("D:\\Homes\\asa.lind"),
                r => r.OwnedFrom.ShouldBe(1),
                r => r.Blocked.ShouldBeEmpty()
            );
        plan.Hazards.ShouldBeEmpty();
    }

    [Fact]
    [Shows("home-of-fallback", "home-without-fallback")]
    public void A_home_needs_a_fallback_administrator_on_the_system_volume_whose_own_home_stays()
    {
        var everybody = Homes() is var b
            ? b with
            {
                Relocate = [b.Relocate[0] with { Accounts = new AccountChoice([], false) }],
            }
            : null!;
        Plan(everybody, Desk(Home()))
            .Relocations.Single(r => r.Holding.Account == "keeper")
            .Blocked.ShouldBe(["home-of-fallback"]);
        Plan(Homes(), Survey([Small(), Data()], Home()))
            .Relocations.Single()
            .Blocked.ShouldBe(["home-without-fallback"]);
        Plan(Homes(), Survey([Small(), Data()], Home(), Home("keeper", GB, new Place("data", "keeper"))))
            .Relocations.Single()
            .Blocked.ShouldBe(["home-without-fallback"]);
    }

    [Fact]
    [Shows("target-on-external-volume")]
    public void A_home_that_is_away_lets_nobody_in_so_external_volumes_are_blocked()
    {
        var brief = Homes() with
        {
            Volumes = new Dictionary<string, VolumeRole>
            {
                ["roomy"] = new("roomy", [], false, null, Preference.Roomiest),
            },
        };
        var away = Data() with { Attached = Attachment.External };
        var survey = Survey([Small(), away], Home("keeper", GB), Home());
        Plan(brief, survey)
            .Hazards.Single(h => h.Code == "target-on-external-volume")
            .ShouldSatisfyAllConditions(
                h => h.Severity.ShouldBe(Severity.Blocking),
                h => h.Remedy.ShouldContain("furlough machine drill herb-01 --volume D: --account asa.lind")
            );
        // Anyone who has tried what happens without the volume may accept it; a mount that comes too late stays what it
        // is.
        Plan(brief, Machine(survey) with { Drilled = [away.Identity.Key] })
            .ShouldSatisfyAllConditions(
                p => p.Relocations.Single().Blocked.ShouldBeEmpty(),
                p => p.Hazards.Single(h => h.Code == "target-on-external-volume").Severity.ShouldBe(Severity.Consent)
            );
        Plan(
            brief,
            Machine(Survey([Small(), away with { FixedMount = false }], Home("keeper", GB), Home())) with
            {
                Drilled = [away.Identity.Key],
            }
        )
            .Relocations.Single()
            .Blocked.ShouldBe(["target-without-fixed-mount"]);
    }

    [Fact]
    [Shows("home-with-parts")]
    public void A_home_and_parts_of_it_are_no_one_plan()
    {
        var both = Homes() is var b
            ? b with
            {
                Relocate = [Brief("folders: [Documents, Pictures]", "folders: [Pictures]").Relocate[0], b.Relocate[0]],
            }
            : null!;
        var plan = Plan(both, Desk(Home(), Holding("Pictures")));
        plan.Relocations.Single(r => r.Holding.Kind == HoldingKind.Home).Blocked.ShouldBe(["home-with-parts"]);
        plan.Relocations.Single(r => r.Holding.Kind == HoldingKind.Folder).Blocked.ShouldBeEmpty();
    }

    [Fact]
    [Shows("home-named-by-path")]
    public void What_names_the_home_by_its_path_wants_consent_or_a_link()
    {
        var absolute = Holding("Music") with
        {
            Pointers =
            [
                new PointerFacts(
                    new PointerAddress("test", "settings", "Music", "asa.lind"),
                    new PointerValue("text", "C:\\Accounts\\asa.lind/Music"),
                    new Place("sys", "Accounts/asa.lind/Music")
                ),
            ],
        };
        var home = Home() with { Home = new HomeFacts(["the timetable of asa.lind"], 0, null) };
        var hazard = Plan(Homes(), Desk(home, absolute)).Hazards.Single();
        hazard.ShouldSatisfyAllConditions(
            h => h.Code.ShouldBe("home-named-by-path"),
            h => h.Severity.ShouldBe(Severity.Consent),
            h =>
                h.Text.ShouldStartWith(
                    "On herb-01 the timetable of asa.lind, the setting for Music of asa.lind name the home"
                )
        );
        Plan(Homes("\n    leave: link"), Desk(home, absolute)).Hazards.ShouldBeEmpty();
    }

    [Fact]
    public void Settings_that_are_changed_with_the_home_need_no_consent()
    {
        var address = new PointerAddress("test", "older settings", "Music", "asa.lind");
        var (value, music) = (
            new PointerValue("text", @"C:\Accounts\asa.lind\Music"),
            new Place("sys", "Accounts/asa.lind/Music")
        );
        var folder = Holding("Music") with { Pointers = [new PointerFacts(address, value, music)] };
        Plan(Homes(), Desk(Home(), folder)).Hazards.Single().Code.ShouldBe("home-named-by-path");
        var home = Home() is var h
            ? h with
            {
                Pointers = [.. h.Pointers, new PointerFacts(address with { Behind = @"\Music" }, value, h.Place)],
            }
            : null!;
        Plan(Homes(), Desk(home, folder)).Hazards.ShouldBeEmpty();
    }

    [Fact]
    [Shows("home-named-otherwise")]
    public void Where_an_account_is_known_by_its_home_the_new_one_has_the_same_name()
    {
        var home = Home() with { Home = new HomeFacts([], 0, null, NamesAccount: true) };
        Plan(Homes(), Desk(home)).Hazards.ShouldBeEmpty();
        var other = Homes() is var b
            ? b with
            {
                Relocate = [b.Relocate[0] with { Path = Template.Parse("{account}/Home") }],
            }
            : null!;
        var hazard = Plan(other, Desk(home)).Hazards.Single();
        hazard.ShouldSatisfyAllConditions(
            h => h.Code.ShouldBe("home-named-otherwise"),
            h => h.Severity.ShouldBe(Severity.Blocking),
            h =>
                h.Text.ShouldBe(
                    "The home of asa.lind on herb-01 would be `D:\\asa.lind\\Home`: there an account is known by "
                        + "the name of its home's folder."
                )
        );
        Plan(other, Desk(Home())).Hazards.ShouldBeEmpty();
    }

    [Fact]
    public void What_runs_with_the_former_home_is_told_by_audits()
    {
        var (lives, former) = (new Place("data", "Homes/asa.lind"), new PointerValue("text", "C:\\Accounts\\asa.lind"));
        var home = Home(place: lives);
        IReadOnlyList<PointerHistory> pointers =
        [
            .. home.Pointers.Select(p => new PointerHistory(p.Address, former, p.Value)),
        ];
        IEnumerable<string> Codes(params string[] homes)
        {
            var survey = Desk(home) is var s
                ? s with
                {
                    Accounts =
                    [
                        .. s.Accounts.Select(a =>
                            a.Name == "asa.lind" ? a with { Session = new AccountSession(Now, homes) } : a
                        ),
                    ],
                }
                : null!;
            var machine = Machine(survey);
            return Auditor
                .Audit(
                    [machine],
                    [
                        new Intended(
                            machine.Id,
                            1,
                            home.Name,
                            lives,
                            survey.Show(lives),
                            pointers,
                            DateTimeOffset.UnixEpoch
                        ),
                    ],
                    [],
                    [],
                    Now
                )
                .Select(f => f.Code);
        }

        Codes("D:\\Homes\\asa.lind", "/root").ShouldBeEmpty();
        Codes("D:\\Homes\\asa.lind", "C:\\Accounts\\asa.lind").ShouldBe(["session-in-former-home"]);
    }

    [Fact]
    [Shows("confined-elsewhere", "caches-in-home")]
    public void Caches_and_what_confines_programs_are_told()
    {
        var home = Home() with
        {
            Home = new HomeFacts([], 5 * GB, new Confinement("Guard", ["C:\\Accounts"], "Add the place to the list.")),
        };
        var hazards = Plan(Homes(), Desk(home)).Hazards;
        hazards
            .Select(h => (h.Code, h.Severity))
            .ShouldBe([("confined-elsewhere", Severity.Consent), ("caches-in-home", Severity.Advice)]);
        hazards[0].Remedy.ShouldBe("Add the place to the list.");
        hazards[1].Text.ShouldBe("5.0 GB of 30.0 GB in the home of asa.lind on herb-01 are caches.");
    }

    [Fact]
    public void What_lies_in_holdings_inside_another_counts_once()
    {
        var (home, pictures, inner) = (
            Home(),
            Holding("Pictures", 10 * GB),
            Holding("Music", 4 * GB, place: new Place("sys", "Accounts/asa.lind/Pictures/Music"))
        );
        var survey = Desk(home, pictures, inner, Holding("Videos", 3 * GB, place: new Place("data", "Videos")));
        (survey.OwnBytes(home), survey.OwnBytes(pictures), survey.OwnBytes(inner)).ShouldBe((20 * GB, 6 * GB, 4 * GB));
    }

    [Theory]
    [InlineData("homes: all", "`all` is not part of a home.")]
    [InlineData("homes: whole\n    folders: [Music]", "A whole home takes its folders with it.")]
    [InlineData("homes: whole\n    install-paths: [x]", "`homes` is for data")]
    public void Homes_are_an_item_of_their_own(string keys, string words) =>
        Should.Throw<BriefException>(() => Brief("folders: [Documents, Pictures]", keys)).Message.ShouldContain(words);
}
