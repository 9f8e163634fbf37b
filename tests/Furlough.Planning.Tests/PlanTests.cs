using System.Text;
using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Planning.Briefs;
using Furlough.Planning.DeskNotices;
using Furlough.Planning.Hazards;
using Furlough.Planning.Plans;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

public sealed class PlanTests
{
    [Fact]
    public void A_plain_desk_is_planned_smallest_first_onto_its_roomy_volume()
    {
        var plan = Plan(Brief(), Survey([Small(), Data()], Holding("Pictures", 30 * GB), Holding("Documents", 2 * GB)));
        plan.Hazards.ShouldBeEmpty();
        plan.Relocations.Select(r => (r.Sequence, r.Holding.Name, r.TargetShown))
            .ShouldBe([
                (1, "Documents", "D:\\People\\asa.lind\\Documents"),
                (2, "Pictures", "D:\\People\\asa.lind\\Pictures"),
            ]);
        plan.Relocations.ShouldAllBe(r => r.Method == Method.Cold && r.OwnedFrom == 1);
        var half = 2 * 1_000L * 4096 / 2;
        plan.Machines[0].Volumes.Single(v => v.Root == "D:").LowestFreeBytes.ShouldBe(500 * GB - 32 * GB - half);
        plan.Machines[0].Volumes.Single(v => v.System).FreeAfterDiscardBytes.ShouldBe(72 * GB);
    }

    [Fact]
    public void The_same_brief_and_surveys_give_the_same_digest_and_another_survey_another()
    {
        var survey = Survey([Small(), Data()], Holding());
        Planner.Digest(Plan(Brief(), survey)).ShouldBe(Planner.Digest(Plan(Brief(), survey)));
        Planner
            .Digest(Plan(Brief(), survey))
            .ShouldNotBe(Planner.Digest(Plan(Brief(), Survey([Small(), Data()], Holding(bytes: 11 * GB)))));
    }

    [Fact]
    public void Two_plans_differ_in_what_came_went_and_changed()
    {
        var before = Plan(Brief(), Machine(Survey([Small(), Data()], Holding())));
        PlanDifference
            .Between(before, before)
            .ShouldSatisfyAllConditions(
                c => c.Changed.ShouldBeEmpty(),
                c => c.Added.ShouldBeEmpty(),
                c => c.Hazards.ShouldBeEmpty(),
                c => c.Before.ShouldBe(c.After)
            );

        var survey = Survey(
            [Small(), Data(free: 15 * GB) with { Root = "E:" }],
            Holding(bytes: 12 * GB) with
            {
                InUse = ["viewer (asa.lind): x"],
            },
            Holding("Documents", GB)
        );
        var after = Plan(
            Brief(),
            Machine(survey),
            Machine(Survey([Small(), Data()], Holding()), "herb-02") with
            {
                Id = Guid.NewGuid(),
            }
        );
        var changes = PlanDifference.Between(before, after);
        changes.MachinesAdded.ShouldBe(["herb-02"]);
        changes.Added.Select(r => $"{r.Machine} {r.Holding.Name}").ShouldBe(["herb-01 Documents", "herb-02 Pictures"]);
        PlanDifference
            .Between(after, before)
            .ShouldSatisfyAllConditions(c => c.Gone.Count.ShouldBe(2), c => c.MachinesGone.ShouldBe(["herb-02"]));
        changes
            .Changed.Single()
            .Changes.ShouldBe([
                "target E:\\People\\asa.lind\\Pictures, was D:\\People\\asa.lind\\Pictures",
                "size 12.0 GB, was 10.0 GB",
            ]);
        changes.Hazards.ShouldBe([
            new("reserve-broken", Severity.Consent, 0, 2),
            new("files-in-use", Severity.Advice, 0, 1),
        ]);
        (changes.Before.Relocations, changes.After.Relocations, changes.After.Machines).ShouldBe((1, 3, 2));
    }

    [Fact]
    public void Within_one_volume_the_exchange_method_is_taken()
    {
        var plan = Plan(Brief(), Survey([Small(), Data()], Holding(place: new Place("data", "Old/Pictures"))));
        plan.Relocations.Single().Method.ShouldBe(Method.Exchange);
        plan.Machines[0].Volumes.Single(v => v.Root == "D:").LowestFreeBytes.ShouldBe(500 * GB);
    }

    [Fact]
    public void The_fallback_administrator_is_left_out() =>
        Plan(Brief(), Survey([Small(), Data()], Holding(account: "keeper"))).Relocations.ShouldBeEmpty();

    [Fact]
    public void Waves_are_filled_in_the_sequence_of_names()
    {
        var survey = Survey([Small(), Data()], Holding());
        var plan = Plan(
            Brief(),
            [
                .. Enumerable
                    .Range(1, 8)
                    .Select(i => Machine(survey, $"herb-0{i}") with { Id = new Guid(i, 0, 0, new byte[8]) }),
            ]
        );
        plan.Machines.Select(m => m.Wave)
            .ShouldBe(["pilot", "pilot", "early", "early", "everybody", "everybody", "everybody", "everybody"]);
    }

    public static TheoryData<string, Severity, Survey> HazardCases() =>
        new()
        {
            { "no-volume-for-role", Severity.Blocking, Survey([Small()], Holding()) },
            { "place-unknown", Severity.Blocking, Survey([Small(), Data()], Holding() with { Present = false }) },
            {
                "made-by-first-start",
                Severity.Advice,
                Survey(
                    [Small(), Data()],
                    Holding() is var h
                        ? h with
                        {
                            Present = false,
                            Program = new OwnProgram([], []) { FirstStart = ["/usr/bin/sketcher", "init"] },
                            Pointers = [.. h.Pointers.Select(p => p with { Value = PointerValue.Absent })],
                        }
                        : null!
                )
            },
            { "target-too-small", Severity.Blocking, Survey([Small(), Data(free: 5 * GB)], Holding()) },
            { "reserve-broken", Severity.Consent, Survey([Small(), Data(free: 55 * GB)], Holding()) },
            {
                "target-not-empty",
                Severity.Blocking,
                Survey([Small(), Data() with { Taken = ["People/asa.lind/Pictures"] }], Holding())
            },
            {
                "target-inside-holding",
                Severity.Blocking,
                Survey([Small(), Data()], Holding(), Holding("Music", place: new Place("data", "People")))
            },
            {
                "target-inside-source",
                Severity.Blocking,
                Survey([Small(), Data()], Holding(place: new Place("data", "People")))
            },
            {
                "pointers-disagree",
                Severity.Blocking,
                Survey(
                    [Small(), Data()],
                    Holding() with
                    {
                        Pointers = [.. Holding().Pointers, .. Holding("Music").Pointers],
                    }
                )
            },
            {
                "account-signed-in",
                Severity.Advice,
                Survey([Small(), Data()], Holding()) with
                {
                    Accounts = [new AccountFacts("asa.lind", "1", "", false, true)],
                }
            },
            {
                "files-in-use",
                Severity.Advice,
                Survey([Small(), Data()], Holding() with { InUse = ["viewer (asa.lind): x"] })
            },
            {
                "target-lacks-owners",
                Severity.Blocking,
                Survey(
                    [Small(), Data() with { Abilities = FileSystemAbilities.Full with { Owners = false } }],
                    Holding()
                )
            },
            {
                "target-without-fixed-mount",
                Severity.Consent,
                Survey([Small(), Data() with { FixedMount = false }], Holding())
            },
            {
                "target-read-from-cache",
                Severity.Advice,
                Survey(
                    [Small(), Data() with { Abilities = FileSystemAbilities.Full with { ReadsPastCache = false } }],
                    Holding()
                )
            },
            { "target-merges-names", Severity.Blocking, Asking(DemandKind.NamesByCase) },
            { "target-refuses-names", Severity.Blocking, Asking(DemandKind.OddNames) },
            { "target-lacks-kinds", Severity.Blocking, Asking(DemandKind.HardLinks) },
            { "target-loses-facts", Severity.Consent, Asking(DemandKind.Attributes) },
            { "device-node", Severity.Blocking, Asking(DemandKind.DeviceNodes) },
            { "cannot-be-copied", Severity.Blocking, Asking(DemandKind.NotHere) },
            { "no-closed-folder", Severity.Blocking, Survey([Small(), Data() with { RootOpen = true }], Holding()) },
            { "source-is-volume", Severity.Blocking, Survey([Small(), Data()], Holding(place: new Place("sys", ""))) },
            {
                "quota-too-small",
                Severity.Consent,
                Survey([Small(), Data()], Holding()) with
                {
                    Accounts =
                    [
                        new AccountFacts("asa.lind", "1001", "", false, false)
                        {
                            Quotas = [new AccountQuota("data", 1000, 900)],
                        },
                    ],
                }
            },
            { "copy-loses-facts", Severity.Consent, Asking(DemandKind.FactsNotKept) },
            { "links-lead-elsewhere", Severity.Advice, Asking(DemandKind.LinksElsewhere) },
            {
                "file-too-large",
                Severity.Blocking,
                Survey(
                    [Small(), Data() with { Abilities = Poor }],
                    Holding() with
                    {
                        Demands = new Demands([], 5 * GB, 0),
                    }
                )
            },
            {
                "path-too-long",
                Severity.Blocking,
                Survey([Small(), Data()], Holding() with { Demands = new Demands([], 0, 4_080) })
            },
            {
                "receipt-not-genuine",
                Severity.Advice,
                Survey([Small(), Data()], Holding()) with
                {
                    Receipts = [KnownReceipt with { Genuine = false }],
                }
            },
            {
                "shared-by-accounts",
                Severity.Blocking,
                Survey(
                    [Small(), Data()],
                    Holding(),
                    Holding(account: "keeper", place: new Place("sys", "Accounts/asa.lind/Pictures/ours"))
                )
            },
            {
                "holding-inside",
                Severity.Blocking,
                Survey(
                    [Small(), Data()],
                    Holding(),
                    Holding("Music", place: new Place("sys", "Accounts/asa.lind/Pictures/Songs")) is var m
                        ? m with
                        {
                            Pointers = [m.Pointers[0] with { FixedBy = "its file belongs to root" }],
                        }
                        : null!
                )
            },
            {
                "moves-along",
                Severity.Consent,
                Survey(
                    [Small(), Data()],
                    Holding(),
                    Holding("Music", place: new Place("sys", "Accounts/asa.lind/Pictures/Songs"))
                )
            },
            { "survey-old", Severity.Advice, Survey([Small(), Data()], Holding()) with { TakenAt = Now.AddDays(-4) } },
            {
                "no-fallback-administrator",
                Severity.Advice,
                Survey([Small(), Data()], Holding()) with
                {
                    Accounts = [new AccountFacts("asa.lind", "1001", "", false, false)],
                }
            },
            { "on-battery", Severity.Advice, Survey([Small(), Data()], Holding()) with { OnBattery = true } },
            { "unproven-system", Severity.Consent, Survey([Small(), Data()], Holding()) with { Unproven = true } },
            { "restart-pending", Severity.Advice, Survey([Small(), Data()], Holding()) with { RestartPending = true } },
            { "backup-unknown", Severity.Advice, Survey([Small(), Data()], Holding()) with { Backup = null } },
            {
                "backup-old",
                Severity.Consent,
                Survey([Small(), Data()], Holding()) with
                {
                    Backup = new BackupFacts(Now.AddDays(-8), []),
                }
            },
            {
                "backup-misses-target",
                Severity.Consent,
                Survey([Small(), Data()], Holding()) with
                {
                    Backup = new BackupFacts(Now, [new Place("sys", "Accounts"), new Place("data", "Shares")]),
                }
            },
            {
                "kept-by-sync-client",
                Severity.Blocking,
                Survey([Small(), Data()], Holding()) with
                {
                    SyncFolders =
                    [
                        new SyncFolderFacts(
                            "Bramble Drive",
                            "asa.lind",
                            new Place("sys", "Accounts/asa.lind/Pictures/shared")
                        ),
                    ],
                }
            },
            {
                "target-in-sync-folder",
                Severity.Consent,
                Survey([Small(), Data()], Holding()) with
                {
                    SyncFolders = [new SyncFolderFacts("Bramble Drive", "asa.lind", new Place("data", "People"))],
                }
            },
            {
                "only-in-cloud",
                Severity.Blocking,
                Survey([Small(), Data()], Holding() with { CloudOnlyFiles = 3, CloudOnlyBytes = GB })
            },
            {
                "source-foreign",
                Severity.Blocking,
                Survey([Small(), Data()], Holding() with { Foreign = "`/etc` belongs to the system." })
            },
            {
                "setting-fixed",
                Severity.Blocking,
                Survey(
                    [Small(), Data()],
                    Holding() with
                    {
                        Pointers = [Holding().Pointers[0] with { FixedBy = "its file belongs to root" }],
                    }
                )
            },
            {
                "account-roams",
                Severity.Consent,
                Survey([Small(), Data()], Holding()) with
                {
                    Accounts = [new AccountFacts("asa.lind", "1001", "", false, false) { Roams = true }],
                }
            },
            {
                "account-from-directory",
                Severity.Advice,
                Survey([Small(), Data()], Holding()) with
                {
                    Accounts = [new AccountFacts("asa.lind", "1001", "", false, false) { FromDirectory = true }],
                }
            },
            {
                "served-by",
                Severity.Consent,
                Survey(
                    [Small(), Data()],
                    Holding() with
                    {
                        ServedBy = ["the Samba share `plates` (`/etc/samba/smb.conf`)"],
                    }
                )
            },
            {
                "service-running",
                Severity.Advice,
                Survey([Small(), Data()], Holding() with { Services = ["camera.service"] })
            },
            {
                "hidden-application-data",
                Severity.Blocking,
                Survey([Small(), Data()], Holding(place: new Place("sys", "home/asa.lind/.local/share/Pictures")))
            },
            {
                "partly-elsewhere",
                Severity.Advice,
                Survey(
                    [Small(), Data()],
                    Holding() with
                    {
                        Stray = new StrayFolder("C:\\Accounts\\asa.lind\\Pictures", 3, GB),
                    }
                )
            },
            {
                "already-there",
                Severity.Advice,
                Survey([Small(), Data()], Holding(place: new Place("data", "People/asa.lind/Pictures")))
            },
        };

    /// <summary>A file system of the simplest kind, but for owners.</summary>
    private static readonly FileSystemAbilities Poor = new(
        true,
        false,
        false,
        false,
        false,
        false,
        2_000_000_000,
        false,
        uint.MaxValue
    );

    private static readonly ReceiptFacts KnownReceipt = new(
        Guid.Empty,
        Guid.Empty,
        Holding().Name,
        new Place("data", "Old/asa.lind/Pictures"),
        DateTimeOffset.UnixEpoch,
        12,
        3_000,
        true,
        false,
        "body",
        "signature",
        true
    );

    private static Survey Asking(DemandKind kind) =>
        Survey(
            [Small(), Data() with { Abilities = Poor }],
            Holding() with
            {
                Demands = new Demands([new Demand(kind, 3, "x")], 0, 0),
            }
        );

    [Fact]
    [Shows("holding-already-there")]
    public void What_a_genuine_receipt_knows_is_adopted_where_it_is_if_the_brief_says_so()
    {
        var survey = Survey([Small(), Data(free: 1 * GB)], Holding() with { Present = false }) with
        {
            Receipts = [KnownReceipt],
        };
        var adopting = Brief("onto: roomy", "onto: roomy\n    existing: adopt");
        var planned = Plan(adopting, survey);
        var relocation = planned.Relocations.Single();
        relocation.Blocked.ShouldBeEmpty("it takes no space and its folder at the source may be missing");
        (relocation.Method, relocation.To.Place.Path).ShouldBe((Method.Adopt, "Old/asa.lind/Pictures"));
        relocation.Adoption.ShouldBe(new Adoption(Guid.Empty, ReceiptDigest.Of("body")));
        planned.Hazards.ShouldContain(h =>
            h.Code == "holding-already-there" && h.Text.Contains("by a receipt of 1970-01-01", StringComparison.Ordinal)
        );

        Plan(adopting, survey with { Receipts = [KnownReceipt with { Genuine = false }] })
            .Relocations.Single()
            .Adoption.ShouldBeNull();
        Plan(adopting, survey with { Receipts = [KnownReceipt with { DataThere = false }] })
            .Relocations.Single()
            .Adoption.ShouldBeNull();
        Plan(Brief(), survey).Relocations.Single().Method.ShouldBe(Method.Cold);
    }

    [Fact]
    public void Content_without_a_receipt_is_adopted_if_it_equals_the_source()
    {
        var survey = Survey([Small(), Data() with { Taken = ["People/asa.lind/Pictures"] }], Holding());
        var relocation = Plan(Brief("onto: roomy", "onto: roomy\n    existing: adopt"), survey).Relocations.Single();
        (relocation.Method, relocation.Adoption, relocation.Blocked.Count).ShouldBe((Method.Adopt, null, 0));
    }

    [Theory]
    [MemberData(nameof(HazardCases))]
    public void Every_hazard_is_found_and_says_what_to_do(string code, Severity severity, Survey survey)
    {
        var hazard = Plan(Brief(), survey).Hazards.First(h => h.Code == code);
        hazard.Severity.ShouldBe(severity);
        hazard.Text.ShouldContain("herb-01");
        hazard.Remedy.ShouldNotBeEmpty();
    }

    [Theory]
    [InlineData("backup-within: 9 days", 8)]
    [InlineData("keep-original: 9 days", 6)]
    public void A_backup_is_as_old_as_the_brief_allows(string change, int days)
    {
        var survey = Survey([Small(), Data()], Holding()) with
        {
            Backup = new BackupFacts(Now.AddDays(-days), [new Place("sys", ""), new Place("data", "")]),
        };
        Plan(Brief("keep-original: 7 days", change), survey).Hazards.ShouldNotContain(h => h.Code == "backup-old");
        Plan(Brief("keep-original: 7 days", "backup-within: 5 days"), survey)
            .Hazards.ShouldContain(h => h.Code == "backup-old");
    }

    [Fact]
    [Shows("people-not-told")]
    public void People_are_told_once_for_all_their_relocations_and_where_nothing_is_shown_the_plan_says_so()
    {
        var telling = Brief("keep-original: 7 days", "work: {tell-people: {before: 15 minutes}}");
        var survey = Survey([Small(), Data()], Holding(), Holding("Documents", GB));
        var plan = Plan(telling, survey);
        plan.Hazards.ShouldBeEmpty();
        plan.Relocations.Select(r => r.Told)
            .Distinct()
            .ShouldHaveSingleItem()!
            .ShouldSatisfyAllConditions(
                t =>
                    t.Text.ShouldStartWith(
                        "Your Documents and Pictures on herb-01 (11.0 GB) will be moved to a roomier disk. This "
                            + "begins in 15 min, or as soon as you sign out."
                    ),
                t => t.PutOff.ShouldBe("Not now, in 15 min")
            );
        Plan(telling, survey with { CannotTell = true })
            .Hazards.Single()
            .ShouldSatisfyAllConditions(
                h => h.Code.ShouldBe("people-not-told"),
                h => h.Severity.ShouldBe(Severity.Advice),
                h => h.Text.ShouldContain("herb-01")
            );
        Plan(Brief(), survey with { CannotTell = true })
            .ShouldSatisfyAllConditions(
                p => p.Hazards.ShouldBeEmpty(),
                p => p.Relocations.ShouldAllBe(r => r.Told == null)
            );
        DeskNotice
            .AtTheMachine([plan.Relocations[0]], new Telling(TimeSpan.FromMinutes(5), 0, "de"), back: true)
            .Text.ShouldStartWith(
                "Ihre Ordner Documents auf herb-01 (1,0 GB) ziehen auf die frühere Platte zurück. Das beginnt in 5 min,"
            );
    }

    [Fact]
    [Shows("person-wanted")]
    public void An_attended_relocation_waits_for_a_person()
    {
        var plan = Plan(Brief("onto: roomy", "onto: roomy\n    attended: true"), Survey([Small(), Data()], Holding()));
        plan.Relocations.Single().Attended.ShouldBeTrue();
        plan.Hazards.Single()
            .ShouldSatisfyAllConditions(
                h => h.Code.ShouldBe("person-wanted"),
                h => h.Severity.ShouldBe(Severity.Advice)
            );
        Plan(Brief(), Survey([Small(), Data()], Holding())).Relocations.Single().Attended.ShouldBeFalse();
    }

    [Fact]
    [Shows("growth-breaks-reserve")]
    public void A_volume_that_fills_up_while_originals_are_kept_is_told_and_one_that_does_not_is_not()
    {
        var machine = Machine(Survey([Small(free: 45 * GB), Data()], Holding(bytes: GB)));
        Plan(Brief(), machine).Hazards.ShouldBeEmpty();
        var growing = machine with { Growth = new Dictionary<string, Growth> { ["sys"] = new(GB, GB, GB, 60, 60) } };
        var hazard = Plan(Brief(), growing).Hazards.Single();
        (hazard.Code, hazard.Severity).ShouldBe(("growth-breaks-reserve", Severity.Advice));
        hazard.Text.ShouldContain("fills up by 1.0 GB a day and would be 2.0 GB below its reserve after 7 days");
    }

    [Fact]
    [Shows("portable-target-unencrypted")]
    public void A_volume_that_can_be_carried_away_unencrypted_needs_consent()
    {
        var brief = Brief("attached: internal, ", "");
        var external = Data() with { Attached = Attachment.External };
        Plan(brief, Survey([Small(), external], Holding()))
            .Hazards.ShouldContain(h => h.Code == "portable-target-unencrypted" && h.Severity == Severity.Consent);
        Plan(brief, Survey([Small(), external with { Encrypted = true }], Holding()))
            .Hazards.ShouldNotContain(h => h.Code == "portable-target-unencrypted");
    }

    [Fact]
    [Shows("machine-silent")]
    public void A_silent_machine_is_told() =>
        Plan(Brief(), Machine(Survey([Small(), Data()], Holding()), silent: true))
            .Hazards.ShouldContain(h => h.Code == "machine-silent");

    [Fact]
    [Shows("exchange-across-volumes")]
    public void An_exchange_between_two_volumes_is_blocked() =>
        Plan(Brief("onto: roomy", "onto: roomy\n    method: exchange"), Survey([Small(), Data()], Holding()))
            .Hazards.ShouldContain(h => h.Code == "exchange-across-volumes" && h.Severity == Severity.Blocking);

    [Fact]
    public void What_looks_like_a_name_in_a_value_is_not_filled_in_again() =>
        Template
            .Parse("People/{account}/{folder}-{}-{course")
            .Fill(name =>
                name switch
                {
                    "account" => "{folder}",
                    "folder" => "Music",
                    _ => null,
                }
            )
            .ShouldBe("People/{folder}/Music-{}-{course");

    [Fact]
    [Shows("data-stays")]
    public void Where_only_the_setting_changes_the_plan_says_what_stays_and_needs_no_room()
    {
        var brief = Brief("onto: roomy", "onto: roomy\n    method: repoint-only");
        var plan = Plan(brief, Survey([Small(), Data() with { FreeBytes = 0 }], Holding()));
        plan.Relocations.Single()
            .ShouldSatisfyAllConditions(
                r => r.Method.ShouldBe(Method.RepointOnly),
                r => r.Blocked.ShouldBeEmpty(),
                r => r.Forecast!.Outage.ShouldBe(Span.None)
            );
        plan.Hazards.Single(h => h.Code == "data-stays").Text.ShouldContain("stay at");
        plan.Hazards.ShouldNotContain(h => h.Code == "target-too-small" || h.Code == "people-not-told");

        var there = Data() with { Taken = ["People/asa.lind/Pictures"] };
        Plan(brief, Survey([Small(), there], Holding()))
            .Relocations.Single()
            .Blocked.ShouldBe(["target-not-empty"], "people would take what is there for their own");
    }

    [Fact]
    [Shows("link-not-possible")]
    public void A_link_stays_where_the_brief_says_so_and_the_source_volume_stores_links()
    {
        var brief = Brief("onto: roomy", "onto: roomy\n    leave: link");
        Plan(brief, Survey([Small(), Data()], Holding())).Relocations.Single().LeavesLink.ShouldBeTrue();
        Plan(Brief("onto: roomy", "onto: roomy\n    leave: nothing"), Survey([Small(), Data()], Holding()))
            .Relocations.Single()
            .LeavesLink.ShouldBeFalse();
        var plain = Small() with { Abilities = FileSystemAbilities.Full with { Links = false } };
        Plan(brief, Survey([plain, Data()], Holding()))
            .Hazards.ShouldContain(h => h.Code == "link-not-possible" && h.Severity == Severity.Blocking);
        Plan(Brief(), Survey([plain, Data()], Holding())).Hazards.ShouldNotContain(h => h.Code == "link-not-possible");
    }

    [Fact]
    public void What_lives_inside_a_holding_is_moved_along_with_it_and_not_planned_by_itself()
    {
        var inner = Holding("Documents", place: new Place("sys", "Accounts/asa.lind/Pictures/Papers"));
        var plan = Plan(Brief(), Survey([Small(), Data()], Holding(), inner));
        var together = plan.Relocations.Single();
        together.Blocked.ShouldBeEmpty();
        together.Holding.Name.ShouldBe("Pictures");
        together
            .Pointers.Select(p => (p.Address, p.Within))
            .ShouldBe([(Holding().Pointers[0].Address, ""), (inner.Pointers[0].Address, "Papers")]);
        plan.Hazards.Single(h => h.Code == "moves-along").Text.ShouldContain("Documents of asa.lind");
        plan.Hazards.ShouldNotContain(h => h.Code == "one-place-twice");

        var atOnePlace = Plan(
            Brief(),
            Survey([Small(), Data()], Holding(), Holding("Documents", place: Holding().Place))
        );
        atOnePlace.Relocations.Single().Pointers.Select(p => p.Within).ShouldBe(["", ""]);
    }

    [Fact]
    [Shows("app-cannot-move", "app-stays")]
    public void Apps_are_meant_by_pattern_what_the_system_keeps_is_left_out_and_blocked_where_it_is_named_with_the_reason()
    {
        var brief = BriefReader.Read(
            BriefTests
                .Good.Replace("folders: [Documents, Pictures]", "apps: [\"sheet*\", viewer]", StringComparison.Ordinal)
                .Replace("People/{account}", "Programs/{account}", StringComparison.Ordinal)
        );
        HoldingFacts App(string name, string? immovable = null) =>
            Holding(name, GB, "") with
            {
                Name = new HoldingName("", HoldingKind.App, name),
                Immovable = immovable,
            };
        HoldingFacts programs = Holding("programs", 0, "", new Place("data", "Programs")) with
        {
            Name = new HoldingName("", HoldingKind.InstallPath, "programs"),
        };
        var plan = Plan(
            brief,
            Survey(
                [Small(), Data()],
                App("sheet editor", "it comes with the system"),
                App("viewer"),
                App("camera"),
                programs
            )
        );
        plan.Relocations.Select(r => (r.Holding.ToString(), r.TargetShown, string.Join(' ', r.Blocked)))
            .ShouldBe([("viewer of the machine", "D:\\Programs\\shared\\viewer", "")]);
        plan.Hazards.Single(h => h.Code == "app-stays")
            .ShouldSatisfyAllConditions(
                h => h.Severity.ShouldBe(Severity.Advice),
                h => h.Text.ShouldBe("sheet editor of the machine is left out on herb-01: it comes with the system.")
            );
        var named = Plan(
            BriefReader.Read(brief.Text.Replace("sheet*", "sheet editor", StringComparison.Ordinal)),
            Survey([Small(), Data()], App("sheet editor", "it comes with the system"), programs)
        );
        named.Relocations.Single().Blocked.ShouldBe(["app-cannot-move"]);
        named
            .Hazards.Single(h => h.Code == "app-cannot-move")
            .Text.ShouldBe("sheet editor of the machine stays where it is on herb-01: it comes with the system.");
    }

    [Fact]
    [Shows("name-incomplete")]
    public void A_path_says_what_the_brief_says_of_people_and_who_lacks_it_is_not_relocated()
    {
        var brief = BriefReader.Read(
            BriefTests
                .Good.Replace(
                    "People/{account}",
                    "\"Courses/{course}/{family-name}-{course}/{folder}\"",
                    StringComparison.Ordinal
                )
                .Replace("\"/{folder}", "\"", StringComparison.Ordinal)
                + "\npeople:\n  asa.lind: {family-name: Lind of the Fen, course: moss-101}\n  bo.tarrant: {family-name: Tarrant}\n"
        );
        var survey = Survey([Small(), Data()], Holding(), Holding("Pictures", GB, "bo.tarrant")) with
        {
            Accounts =
            [
                new AccountFacts("asa.lind", "1001", "", false, false),
                new AccountFacts("bo.tarrant", "1002", "", false, false),
                new AccountFacts("keeper", "1900", "", true, false),
            ],
        };
        var plan = Plan(brief, survey);
        plan.Relocations.Single(r => r.Holding.Account == "asa.lind")
            .ShouldSatisfyAllConditions(
                r => r.TargetShown.ShouldBe("D:\\Courses\\moss-101\\Lind of the Fen-moss-101\\Pictures"),
                r => r.OwnedFrom.ShouldBe(1),
                r => r.Blocked.ShouldBeEmpty()
            );
        plan.Relocations.Single(r => r.Holding.Account == "bo.tarrant").Blocked.ShouldBe(["name-incomplete"]);
        plan.Hazards.Single(h => h.Code == "name-incomplete")
            .Text.ShouldBe(
                "The path for Pictures of bo.tarrant on herb-01 wants {course}, and the brief does not say that of bo.tarrant."
            );
    }

    [Fact]
    public void Whoever_has_a_volume_of_their_own_gets_it_and_who_did_not_bring_it_is_told_which()
    {
        var brief = BriefReader.Read(
            BriefTests.Good.Replace(
                "{attached: internal, system: false, prefer: roomiest}",
                "{attached: internal, label: \"{account}\"}",
                StringComparison.Ordinal
            )
        );
        var own = Data() with { Identity = new VolumeIdentity("own", "f7"), Root = "P:", Label = "asa.lind" };
        var survey = Survey([Small(), Data(), own], Holding(), Holding("Pictures", GB, "bo.tarrant")) with
        {
            Accounts =
            [
                new AccountFacts("asa.lind", "1001", "", false, false),
                new AccountFacts("bo.tarrant", "1002", "", false, false),
                new AccountFacts("keeper", "1900", "", true, false),
            ],
        };
        var plan = Plan(brief, survey);
        plan.Relocations.Single(r => r.Holding.Account == "asa.lind")
            .ShouldSatisfyAllConditions(r => r.TargetShown.ShouldStartWith("P:"), r => r.Blocked.ShouldBeEmpty());
        plan.Relocations.Single(r => r.Holding.Account == "bo.tarrant").Blocked.ShouldBe(["no-volume-for-role"]);
        plan.Hazards.Single(h => h.Code == "no-volume-for-role")
            .Text.ShouldStartWith("herb-01 has no volume that fits the role `roomy` of bo.tarrant (`bo.tarrant`): ");
        Should
            .Throw<BriefException>(() =>
                BriefReader.Read(
                    BriefTests.Good.Replace(
                        "{attached: internal, system: false, prefer: roomiest}",
                        "{label: \"{famly}\"}",
                        StringComparison.Ordinal
                    ) + "\npeople:\n  asa.lind: {family: Lind}\n"
                )
            )
            .Message.ShouldContain("`{famly}` is not said of anybody. Perhaps `family` is meant.");
    }

    [Fact]
    public void The_first_of_several_waves_takes_machines_that_differ_and_the_same_ones_each_time()
    {
        FleetMachine Desk(string name, string system, VolumeFacts second) =>
            Machine(Survey([Small(), second], Holding()) with { OperatingSystem = system }, name) with
            {
                Id = new Guid(
                    System.Security.Cryptography.SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(name)).AsSpan(0, 16)
                ),
            };
        FleetMachine[] fleet =
        [
            .. Enumerable.Range(1, 5).Select(i => Desk($"herb-0{i}", "Fen 12", Data())),
            Desk("herb-06", "Fen 9", Data()),
            Desk("herb-07", "Fen 12", Data() with { Attached = Attachment.External, FileSystem = "exchange-fat" }),
            Machine(null, "herb-08") with
            {
                Id = Guid.NewGuid(),
            },
        ];
        var waves = BriefTests.Good.Split('\n').Single(l => l.StartsWith("waves:", StringComparison.Ordinal));
        string Pilot(string rules) =>
            string.Join(
                ' ',
                Plan(BriefReader.Read(BriefTests.Good.Replace(waves, rules, StringComparison.Ordinal)), fleet)
                    .Machines.Where(m => m.Wave == "pilot")
                    .Select(m => m.Name)
            );
        Pilot("waves: {pilot: 3 machines, everybody: the rest}").ShouldBe("herb-01 herb-06 herb-08");
        Pilot("waves: {pilot: 4 machines, everybody: the rest}").ShouldBe("herb-01 herb-06 herb-07 herb-08");
        Pilot("waves: {pilot: the rest}").ShouldBe(string.Join(' ', fleet.Select(m => m.Name)));
    }

    /// <summary>
    /// Six machines of 10 minutes each, three of them in either of two rooms; two machines each share the volume that
    /// they take their data to.
    /// </summary>
    [Theory]
    [InlineData("{}", 1)]
    [InlineData("{machines: 2}", 3)]
    [InlineData("{machines: 4}", 2)]
    [InlineData("{per-room: 1}", 3)]
    [InlineData("{machines: 3, per-room: 2}", 2)]
    [InlineData("{per-volume: 1}", 2)]
    [InlineData("{per-volume: 2}", 1)]
    public void A_wave_takes_longer_where_only_some_machines_are_worked_on_at_once(string atOnce, int rounds)
    {
        var brief = BriefReader.Read(
            BriefTests
                .Good.Replace("rooms: [Herbarium]", "rooms: [Herbarium, Map Room]", StringComparison.Ordinal)
                .Replace(
                    BriefTests.Good.Split('\n').Single(l => l.StartsWith("waves:", StringComparison.Ordinal)),
                    "waves: {everybody: the rest}",
                    StringComparison.Ordinal
                ) + $"\nat-once: {atOnce}\n"
        );
        var fleet = Enumerable
            .Range(1, 6)
            .Select(i =>
                Machine(
                    Survey(
                        [
                            Small() with
                            {
                                Identity = new VolumeIdentity($"sys-{i}", ""),
                            },
                            Data() with
                            {
                                Identity = new VolumeIdentity($"shared-{i / 2}", ""),
                            },
                        ],
                        Holding(place: new Place($"sys-{i}", "Accounts/asa.lind/Pictures"))
                    ),
                    $"herb-0{i}"
                ) with
                {
                    Id = Guid.NewGuid(),
                    Room = i % 2 == 0 ? "Herbarium" : "Map Room",
                }
            )
            .ToArray();
        var plan = Plan(brief, fleet);
        plan.Calendar.Single().Takes.Likely.ShouldBe(rounds * plan.Machines[0].Work.Likely);
        plan.AtOnce.ShouldBe(brief.AtOnce);
    }

    [Fact]
    public void An_audit_tells_what_lies_in_common_folders_and_what_was_opened_at_its_usual_place()
    {
        var lives = new Place("data", "People/asa.lind/Pictures");
        var holding = Holding(place: lives) with
        {
            Stray = new StrayFolder("C:\\Accounts\\asa.lind\\Pictures", 3, 2 * GB),
        };
        var machine = Machine(
            Survey([Small(), Data()], holding) with
            {
                CommonFolders =
                [
                    new CommonFolderFacts(
                        "course-desk",
                        "C:\\Course desk",
                        [new LeftFiles("bo.tarrant", 1, GB, DateTimeOffset.UnixEpoch)]
                    ),
                ],
            }
        );
        var intended = new Intended(
            machine.Id,
            1,
            holding.Name,
            lives,
            "D:\\People\\asa.lind\\Pictures",
            [.. holding.Pointers.Select(p => new PointerHistory(p.Address, p.Value, p.Value))],
            DateTimeOffset.UnixEpoch
        );
        var findings = Auditor.Audit([machine], [intended], [], [], Now);
        findings
            .Select(f => $"{f.Severity.Word()} {f.Code}: {f.Text}")
            .ShouldBe([
                "consent used-elsewhere: Pictures of asa.lind on herb-01 lives at "
                    + "`D:\\People\\asa.lind\\Pictures`, and its usual place `C:\\Accounts\\asa.lind\\Pictures` has 3 "
                    + "files of 2.0 GB: it was opened there, or something still writes there.",
                "advice left-in-common-folder: 1 file of bo.tarrant (1.0 GB), last changed 1970-01-01 00:00Z, "
                    + "lies in `C:\\Course desk` on herb-01, which should be empty.",
            ]);
        var original = new OriginalFacts(
            Guid.NewGuid(),
            holding.Name,
            new Place("sys", "Accounts/asa.lind/Pictures"),
            Now,
            1,
            1,
            false,
            null
        );
        Auditor
            .Audit(
                [machine with { Survey = machine.Survey! with { CommonFolders = [] } }],
                [intended],
                [new Kept(machine.Id, 1, original, Now.AddDays(9), null, "o1")],
                [],
                Now
            )
            .ShouldBeEmpty("what stands again where an original waits is reported with the original");
    }

    [Theory]
    [InlineData("asa.lind: {account: x}", "`account` cannot be said of people")]
    [InlineData("asa.lind: {Course: x}", "`Course` cannot be said of people")]
    [InlineData("asa.lind: {course: ../keeper}", "cannot be part of a folder name")]
    [InlineData("asa.lind: {course: \"a:b\"}", "cannot be part of a folder name")]
    [InlineData("asa.lind: moss-101", "This is not what the line of asa.lind should be")]
    public void What_cannot_be_part_of_a_path_is_refused_of_people(string people, string words) =>
        Should
            .Throw<BriefException>(() => BriefReader.Read(BriefTests.Good + $"\npeople:\n  {people}\n"))
            .Message.ShouldContain(words);

    [Fact]
    public void What_has_no_setting_leaves_a_link_without_being_asked()
    {
        var address = new PointerAddress("link", "~/.sketches", "", "asa.lind") { InPlace = true };
        var holding = Holding() with
        {
            Pointers = [new PointerFacts(address, PointerValue.Absent, new Place("sys", "Accounts/asa.lind/Pictures"))],
        };
        Plan(Brief(), Survey([Small(), Data()], holding)).Relocations.Single().LeavesLink.ShouldBeTrue();
        Plan(
            Brief(),
            Survey([Small() with { Abilities = FileSystemAbilities.Full with { Links = false } }, Data()], holding)
        )
            .Hazards.ShouldContain(h => h.Code == "link-not-possible");
    }

    [Theory]
    [Shows("target-on-network-volume", "target-on-removable-volume")]
    [InlineData(Attachment.Network, "target-on-network-volume")]
    [InlineData(Attachment.External, "target-on-external-volume")]
    [InlineData(Attachment.Unknown, "target-on-external-volume")]
    [InlineData(Attachment.Removable, "target-on-removable-volume")]
    public void A_volume_that_can_be_away_needs_consent_and_is_no_place_for_a_desktop(Attachment attached, string code)
    {
        var brief = Brief("attached: internal, ", "");
        var desktop = Brief("attached: internal, ", "").Relocate[0] with
        {
            Named = new Dictionary<HoldingKind, IReadOnlyList<string>> { [HoldingKind.Folder] = ["Desktop"] },
        };
        var away = Data() with { Attached = attached };
        Plan(brief, Survey([Small(), away], Holding()))
            .Hazards.Single(h => h.Code == code)
            .Severity.ShouldBe(Severity.Consent);
        Plan(brief with { Relocate = [desktop] }, Survey([Small(), away], Holding("Desktop")))
            .Hazards.Single(h => h.Code == code)
            .Severity.ShouldBe(Severity.Blocking);
    }

    [Fact]
    [Shows("one-place-twice")]
    public void Two_holdings_at_one_place_block_the_second() =>
        Plan(Brief("/{folder}", ""), Survey([Small(), Data()], Holding(), Holding("Documents")))
            .Relocations.Single(r => r.Blocked.Count > 0)
            .Blocked.ShouldBe(["one-place-twice"]);

    [Fact]
    [Shows("target-on-system-volume")]
    public void The_system_volume_as_a_target_needs_consent() =>
        Plan(Brief("system: false, ", "system: true, "), Survey([Small()], Holding()))
            .Hazards.ShouldContain(h => h.Code == "target-on-system-volume" && h.Severity == Severity.Consent);

    [Fact]
    [Shows("survey-missing")]
    public void A_machine_without_survey_blocks_only_itself()
    {
        var plan = Plan(Brief(), Machine(null, "herb-02"), Machine(Survey([Small(), Data()], Holding())));
        plan.Relocations.Count.ShouldBe(1);
        plan.Hazards.Single().Code.ShouldBe("survey-missing");
    }

    public static TheoryData<string, Survey> FindingCases()
    {
        var there = new Place("data", "People/asa.lind/Pictures");
        HoldingFacts Now(string value, bool present = true) =>
            Holding(place: there) with
            {
                Present = present,
                Pointers = [Holding().Pointers[0] with { Value = new PointerValue("text", value), Resolves = there }],
            };
        var original = new OriginalFacts(
            Guid.Empty,
            Holding().Name,
            new Place("sys", "x"),
            DateTimeOffset.UnixEpoch,
            1,
            1,
            false,
            null
        );
        return new()
        {
            { "pointer-not-as-planned", Survey([Small(), Data()], Now("old")) },
            { "place-missing", Survey([Small(), Data()], Now("new", present: false)) },
            { "volume-absent", Survey([Small()], Now("new")) },
            { "volume-elsewhere", Survey([Small(), Data() with { Root = "E:" }], Now("new")) },
            {
                "original-written-to",
                Survey([Small(), Data()], Now("new")) with
                {
                    Originals = [original with { WrittenTo = true }],
                }
            },
            {
                "written-at-former-place",
                Survey([Small(), Data()], Now("new")) with
                {
                    Originals = [original with { Recreated = new RecreatedSource(1, 1, DateTimeOffset.UnixEpoch) }],
                }
            },
            { "original-overdue", Survey([Small(), Data()], Now("new")) },
        };
    }

    [Theory]
    [MemberData(nameof(FindingCases))]
    public void Every_deviation_is_a_finding(string code, Survey survey)
    {
        var day = code == "original-overdue" ? 8 : 1;
        var machine = Machine(survey with { TakenAt = DateTimeOffset.UnixEpoch.AddDays(day) });
        var intended = new Intended(
            machine.Id,
            1,
            Holding().Name,
            new Place("data", "People/asa.lind/Pictures"),
            "D:\\People\\asa.lind\\Pictures",
            [
                new PointerHistory(
                    Holding().Pointers[0].Address,
                    new PointerValue("text", "old"),
                    new PointerValue("text", "new")
                ),
            ],
            DateTimeOffset.UnixEpoch
        );
        var kept = new Kept(
            machine.Id,
            1,
            new OriginalFacts(
                Guid.Empty,
                Holding().Name,
                new Place("sys", "x"),
                DateTimeOffset.UnixEpoch,
                1,
                1,
                false,
                null
            ),
            DateTimeOffset.UnixEpoch.AddDays(7),
            null,
            "o2"
        );
        Auditor
            .Audit([machine], [intended], [kept], [], DateTimeOffset.UnixEpoch.AddDays(day))
            .Select(f => f.Code)
            .ShouldBe([code]);
        // A survey that was begun before the relocation left it so says nothing of it.
        if (code is "pointer-not-as-planned")
            Auditor
                .Audit(
                    [machine],
                    [intended with { Since = machine.Survey!.TakenAt.AddSeconds(1) }],
                    [kept],
                    [],
                    DateTimeOffset.UnixEpoch.AddDays(day)
                )
                .ShouldBeEmpty();
    }

    [Fact]
    public void Hidden_data_is_judged_by_the_setting_and_by_what_the_system_hides()
    {
        IEnumerable<string> Of(HoldingFacts holding) =>
            Plan(Brief(), Machine(Survey([Small(), Data()], holding))).Hazards.Select(h => h.Code);
        Of(Holding() with { HiddenIn = "AppData" }).ShouldContain("hidden-application-data");
        Of(Holding(place: new Place("sys", "home/asa.lind/.local/share/Pictures")))
            .ShouldContain("hidden-application-data");
    }

    /// <summary>Of what is silent nobody knows that it is as it should be (I17).</summary>
    [Fact]
    public void Silence_is_a_finding_also_where_nothing_was_relocated()
    {
        var (known, now) = (Machine(Survey([Small(), Data()], Holding()) with { TakenAt = Now }), Now.AddHours(30));
        IEnumerable<string> Of(FleetMachine machine) => Auditor.Audit([machine], [], [], [], now).Select(f => f.Code);
        Of(known with { Silent = true }).ShouldBe(["machine-silent"]);
        Of(known with { Survey = null }).ShouldBe(["never-surveyed"]);
        Of(known).ShouldBe(["survey-old"]);
        Of(known with { Survey = known.Survey! with { TakenAt = now.AddHours(-1) } }).ShouldBeEmpty();
    }

    [Theory]
    [InlineData(3, null, Severity.Consent, "furlough relocation gather 7")]
    [InlineData(3, 4, Severity.Advice, "remove the folder manually")]
    [InlineData(5, 4, Severity.Consent, "furlough relocation gather 7")]
    public void What_stands_again_at_the_source_is_to_be_gathered_until_it_was_and_again_when_it_changed(
        int changed,
        int? gathered,
        Severity severity,
        string remedy
    )
    {
        var original = new OriginalFacts(
            Guid.Empty,
            Holding().Name,
            new Place("sys", "x"),
            DateTimeOffset.UnixEpoch,
            1,
            1,
            false,
            new RecreatedSource(2, 10, DateTimeOffset.UnixEpoch.AddDays(changed))
        );
        var kept = new Kept(
            Machine(null).Id,
            7,
            original,
            DateTimeOffset.UnixEpoch.AddDays(30),
            gathered is { } day ? DateTimeOffset.UnixEpoch.AddDays(day) : null,
            "o3"
        );
        var machine = Machine(
            Survey([Small(), Data()], Holding()) with
            {
                TakenAt = DateTimeOffset.UnixEpoch.AddDays(6),
            }
        );
        var finding = Auditor
            .Audit([machine], [], [kept with { Machine = machine.Id }], [], DateTimeOffset.UnixEpoch.AddDays(6))
            .Single();
        (finding.Code, finding.Severity).ShouldBe(
            (severity == Severity.Consent ? "written-at-former-place" : "source-recreated", severity)
        );
        finding.Remedy.ShouldContain(remedy);
    }
}
