using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Plans;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

public sealed class BriefTests
{
    internal const string Good = """
        furlough-brief: 1
        title: Herbarium
        machines: {rooms: [Herbarium], except: ["herb-1*"]}
        volumes:
          roomy: {attached: internal, system: false, prefer: roomiest}
        relocate:
          - folders: [Documents, Pictures]
            accounts: all-but-fallback
            onto: roomy
            path: People/{account}/{folder}
        keep-original: 7 days
        reserve: {system: 20%, others: 50 GB}
        waves: {pilot: 2 machines, early: 25% of machines, everybody: the rest}
        halt-after: 3 failures
        """;

    /// <summary>
    /// Which of three desks a line under <c>machines</c> means: herb-01 (Fen 12, 20 % free, second internal volume),
    /// herb-02 (Fen 13, 60 % free, an external one), herb-03 (not surveyed).
    /// </summary>
    [Theory]
    [InlineData("all", "herb-01 herb-02 herb-03")]
    [InlineData("{names: [\"herb-0*\"], except: [herb-02]}", "herb-01 herb-03")]
    [InlineData("{systems: [\"Fen 12*\"]}", "herb-01")]
    [InlineData("{system-free-below: 25%}", "herb-01")]
    [InlineData("{system-free-below: 130 GB}", "herb-01 herb-02")]
    [InlineData("{second-volume: external}", "herb-02")]
    [InlineData("{tags: [imaging, hall]}", "herb-02")]
    [InlineData("{rooms: [Herbarium], second-volume: internal, system-free-below: 10%}", "")]
    public void Machines_are_chosen_by_their_facts(string machines, string meant)
    {
        var brief = BriefReader.Read(
            Good.Replace("{rooms: [Herbarium], except: [\"herb-1*\"]}", machines, StringComparison.Ordinal)
        );
        FleetMachine[] fleet =
        [
            Machine(Survey([Small(free: 40 * GB), Data()]) with { OperatingSystem = "Fen 12.4" }),
            Machine(
                Survey([Small(free: 120 * GB), Data() with { Attached = Attachment.External }]) with
                {
                    OperatingSystem = "Fen 13",
                },
                "herb-02"
            ) with
            {
                Tag = "Imaging",
            },
            Machine(null, "herb-03"),
        ];
        string.Join(' ', fleet.Where(m => brief.Machines.Includes(m)).Select(m => m.Name)).ShouldBe(meant);
    }

    /// <summary>
    /// Which of four volumes fills a role: D: (internal, rotating, 500 GB free), E: (internal, solid, encrypted, 90 GB
    /// free), F: (external, 800 GB free), and C:, the system volume.
    /// </summary>
    [Theory]
    [InlineData("{}", "F:")]
    [InlineData("{attached: internal}", "D:")]
    [InlineData("{attached: internal, prefer: fastest, system: false}", "E:")]
    [InlineData("{medium: solid, system: false}", "E:")]
    [InlineData("{encrypted: true}", "E:")]
    [InlineData("{attached: internal, free-at-least: 600 GB}", null)]
    [InlineData("{attached: internal, free-at-least: 50%}", "D:")]
    [InlineData("{label: \"Sys*\"}", "C:")]
    [InlineData("{label: \"of {account}\"}", "F:")]
    [InlineData("{label: \"of {own}\"}", null)]
    [InlineData("{identity: F3}", "E:")]
    [InlineData("{identity: \"{card}\"}", "E:")]
    [InlineData("{identity: f9}", null)]
    public void Volumes_are_chosen_by_their_facts(string role, string? chosen)
    {
        var brief = BriefReader.Read(
            Good.Replace("{attached: internal, system: false, prefer: roomiest}", role, StringComparison.Ordinal)
                + "\npeople:\n  asa.lind: {card: f3}\n  bo.tarrant: {own: asa.lind}\n"
        );
        var solid = Data(free: 90 * GB) with
        {
            Identity = new VolumeIdentity("solid", "f3"),
            Root = "E:",
            Medium = Medium.Solid,
            Encrypted = true,
        };
        var external = Data(free: 800 * GB) with
        {
            Identity = new VolumeIdentity("external", "f4"),
            Root = "F:",
            Label = "of asa.lind",
            Attached = Attachment.External,
            SizeBytes = 2_000 * GB,
        };
        (
            brief.Volumes["roomy"].Choose(Survey([Small(), Data(), solid, external]), brief.Of("asa.lind"))?.Root
        ).ShouldBe(chosen);
    }

    [Fact]
    public void Every_line_says_what_it_means_for_the_fleet_and_what_it_misses()
    {
        var brief = BriefReader.Read(
            Good.Replace(
                    "  - folders: [Documents, Pictures]\n",
                    "  - folders: [Pictures]\n    accounts: [asa.lind, nobody]\n    on: [herb-01, herb-09]\n    "
                        + "at-least: 5 GB\n    onto: roomy\n    path: Large/{account}/{year}/{kind}\n  - folders: "
                        + "[Documents, Pictures, Music]\n",
                    StringComparison.Ordinal
                )
                .Replace("rooms: [Herbarium]", "rooms: [Herbarium, Herbariun]", StringComparison.Ordinal)
        );
        FleetMachine[] fleet =
        [
            Machine(Survey([Small(), Data()], Holding(), Holding("Documents", GB))),
            Machine(Survey([Small()], Holding(bytes: 2 * GB)), "herb-02") with
            {
                Id = Guid.NewGuid(),
            },
            Machine(null, "map-01") with
            {
                Room = "Map Room",
            },
        ];
        FleetMatch
            .Of(brief, fleet)
            .Select(l =>
                $"{l.Line} {l.What}: {l.Machines}, {l.Holdings}, {l.DataBytes / GB}. {string.Join(' ', l.Missed)}".TrimEnd()
            )
            .ShouldBe([
                "0 machines: 2, 3, 13. No machine stands in a room `Herbariun`. Perhaps `Herbarium` is meant. No "
                    + "machine is called `herb-1*`.",
                "5 volume role roomy: 1, 0, 0. 1 machine has no volume for the role `roomy`: herb-02.",
                "7 Pictures: 1, 1, 10. No machine has an account `nobody`. No machine that the brief means is called `herb-09`.",
                "13 Documents, Pictures, Music: 2, 2, 3. No Music is found for it.",
            ]);
        Plan(brief, fleet[0])
            .Relocations.Select(r => r.To.Place.Path)
            .ShouldBe(["People/asa.lind/Documents", "Large/asa.lind/1970/folder"]);
    }

    /// <summary>Where a key may stand, and where the schema describes it.</summary>
    [Theory]
    [InlineData("title: Herbarium", "strange: x\ntitle: Herbarium", "properties")]
    [InlineData("{rooms: [Herbarium]", "{strange: x, rooms: [Herbarium]", "properties.machines.oneOf.1.properties")]
    [InlineData(
        "{attached: internal",
        "{strange: x, attached: internal",
        "properties.volumes.additionalProperties.properties"
    )]
    [InlineData("  - folders:", "  - strange: x\n    folders:", "properties.relocate.items.properties")]
    [InlineData("{system: 20%", "{strange: x, system: 20%", "properties.reserve.properties")]
    [InlineData("halt-after:", "work: {strange: x}\nhalt-after:", "properties.work.properties")]
    [InlineData(
        "halt-after:",
        "work: {files-in-use: {strange: x}}\nhalt-after:",
        "properties.work.properties.files-in-use.properties"
    )]
    public void The_schema_for_editors_knows_the_same_keys_as_the_reader(string right, string wrong, string where)
    {
        var error = Should
            .Throw<BriefException>(() => BriefReader.Read(Good.Replace(right, wrong, StringComparison.Ordinal)))
            .Errors.Single();
        var node = where
            .Split('.')
            .Aggregate(JsonDocument.Parse(BriefSample.Schema).RootElement, (at, part) =>
                int.TryParse(part, out var index) ? at[index] : at.GetProperty(part)
            );
        node.EnumerateObject()
            .Select(p => p.Name)
            .Order()
            .ShouldBe(error.Expected["one of ".Length..].Split(", ").Order());
    }

    [Fact]
    public void The_sample_is_a_good_brief() =>
        BriefReader
            .Read(BriefSample.Text)
            .Relocate[0]
            .Named[HoldingKind.Folder]
            .ShouldBe(["Documents", "Pictures", "Music", "Videos", "Downloads"]);

    [Fact]
    public void A_good_brief_is_read_whole()
    {
        var brief = BriefReader.Read(Good);
        brief.Machines.Includes(Desks.Machine(null, "herb-04")).ShouldBeTrue();
        brief.Machines.Includes(Desks.Machine(null, "herb-10")).ShouldBeFalse();
        brief.Machines.Includes(Desks.Machine(null, "map-01") with { Room = "Map Room" }).ShouldBeFalse();
        brief.Keep.ShouldBe(TimeSpan.FromDays(7));
        brief.SystemReserve.Of(1_000).ShouldBe(200);
        brief.OtherReserve.Of(1_000).ShouldBe(50_000_000_000);
        brief.Waves.Select(w => w.Name).ShouldBe(["pilot", "early", "everybody"]);
        brief.HaltAfter.ShouldBe(3);
    }

    [Theory]
    [InlineData(
        "title: Herbarium",
        "titel: Herbarium",
        2,
        1,
        "`titel` is not a key of the brief. Perhaps `title` is meant."
    )]
    [InlineData("furlough-brief: 1", "furlough-brief: 9", 1, 17, "Version 9")]
    [InlineData("20%", "60", 12, 19, "`60` has no unit.")]
    [InlineData("7 days", "7 fortnights", 11, 16, "not a length of time")]
    [InlineData("20%", "20 parsecs", 12, 19, "not an amount of space")]
    [InlineData("20%", "95%", 12, 19, "leaves no room")]
    [InlineData(
        "onto: roomy",
        "onto: romy",
        9,
        11,
        "The role `romy` is not described under `volumes`. Perhaps `roomy` is meant."
    )]
    [InlineData("onto: roomy", "onto: 'D:'", 9, 11, "`D:` is a drive letter")]
    [InlineData("  roomy: {attached", "  'D:': {attached", 5, 3, "`D:` is a drive letter")]
    [InlineData("attached: internal", "attached: glued", 5, 21, "`glued` is not known here")]
    [InlineData(
        "[Documents, Pictures]",
        "[Documents, Pictuers]",
        7,
        14,
        "`Pictuers` is not a user folder. Perhaps `Pictures` is meant."
    )]
    [InlineData("People/{account}/{folder}", "People/../../etc", 10, 11, "has a part that is empty, `.` or `..`")]
    [InlineData("People/{account}/{folder}", "/srv/{account}", 10, 11, "is not a path below a volume")]
    [InlineData(
        "People/{account}/{folder}",
        "People/{acount}",
        10,
        11,
        "`{acount}` is not a variable. Perhaps `account` is meant."
    )]
    [InlineData("everybody: the rest", "everybody: some", 13, 63, "not a size of a wave")]
    [InlineData("3 failures", "many", 14, 13, "not a limit")]
    [InlineData("rooms: [Herbarium]", "system-free-below: little", 3, 31, "not an amount of space")]
    [InlineData("rooms: [Herbarium]", "second-volume: nailed", 3, 27, "`nailed` is not known here")]
    [InlineData("attached: internal", "encrypted: perhaps", 5, 22, "neither yes nor no")]
    [InlineData("onto: roomy", "at-least: 20%\n    onto: roomy", 9, 15, "not a size")]
    [InlineData("title: Herbarium", "title: Herbarium\ntitle: Twice", 3, 1, "not valid YAML")]
    [InlineData("title: Herbarium", "title: &a Herbarium", 2, 8, "Anchors")]
    [InlineData("machines: {rooms", "machines: [rooms", 3, 26, "not valid YAML")]
    public void A_wrong_brief_says_where_and_what(string right, string wrong, int line, int column, string message)
    {
        var error = Should
            .Throw<BriefException>(() => BriefReader.Read(Good.Replace(right, wrong, StringComparison.Ordinal)))
            .Errors[0];
        error.Message.ShouldContain(message);
        error.Line.ShouldBe(line);
        if (message != "not valid YAML")
            error.Column.ShouldBe(column);
        error.Expected.ShouldNotBeEmpty();
    }

    [Fact]
    public void Exploding_anchors_and_huge_briefs_are_refused_at_once()
    {
        var bomb = "a: &a [x,x]\n" + string.Concat(Enumerable.Range(0, 30).Select(i => $"b{i}: &b{i} [*a,*a,*a,*a]\n"));
        Should.Throw<BriefException>(() => BriefReader.Read(bomb)).Errors[0].Message.ShouldContain("Anchors");
        Should
            .Throw<BriefException>(() => BriefReader.Read(new string('x', 10_000_000)))
            .Errors[0]
            .Message.ShouldContain("characters");
    }

    [Fact]
    public void Several_errors_are_all_listed() =>
        Should
            .Throw<BriefException>(() =>
                BriefReader.Read(
                    Good.Replace("7 days", "7", StringComparison.Ordinal)
                        .Replace("3 failures", "x", StringComparison.Ordinal)
                )
            )
            .Errors.Count.ShouldBe(2);

    [Theory]
    [InlineData("under-way", RelocationState.UnderWay)]
    [InlineData("set-aside", null)]
    public void Words_are_spelled_with_hyphens(string word, RelocationState? state) =>
        Words.Find<RelocationState>(word).ShouldBe(state);

    [Fact]
    public void How_the_work_treats_people_is_read_with_its_usual_values()
    {
        var usual = BriefReader.Read(Good).Work;
        usual.ShouldBe(WorkRules.Usual);
        usual.For(Method.Cold, Pictures).KeepWaiting.ShouldBeFalse();
        usual.For(Method.Warm, Pictures).KeepWaiting.ShouldBeTrue();
        BriefReader
            .Read(Good + "\nwork: {speed: 40 MB/s, priority: low, files-in-use: {wait: 90 seconds, then: fail}}\n")
            .Work.For(Method.Warm, Pictures)
            .ShouldBe(new Terms(40_000_000, true, TimeSpan.FromSeconds(90), false));

        var telling = BriefReader
            .Read(Good + "\nwork: {tell-people: {before: 5 minutes, put-off: 1, language: de}}\n")
            .Work;
        telling.For(Method.Cold, Pictures).Telling.ShouldBe(new Telling(TimeSpan.FromMinutes(5), 1, "de"));
        telling.For(Method.Setting, Pictures).Telling.ShouldBeNull("nobody is locked out for a setting");
        telling
            .For(Method.Cold, new HoldingName("", HoldingKind.App, "sketcher"))
            .Telling.ShouldBeNull("it belongs to nobody in particular");
        BriefReader
            .Read(Good + "\nwork: {tell-people: {}}\n")
            .Work.Telling.ShouldBe(new Telling(TimeSpan.FromMinutes(10), 2, "en"));
    }

    private static readonly HoldingName Pictures = new("asa.lind", HoldingKind.Folder, "Pictures");

    [Theory]
    [InlineData("hours: nights.ics", "The file `nights.ics` is not known here.")]
    [InlineData("hours: always", "This is not an iCalendar file")]
    [InlineData("hours: [1]", "This is not a calendar.")]
    [InlineData("backup-within: lately", "is not a length of time")]
    [InlineData("work: {speed: fast}", "is not a speed")]
    [InlineData("work: {priority: high}", "is not a priority")]
    [InlineData("work: {files-in-use: {then: hope}}", "does not say what follows")]
    [InlineData("work: {files-in-use: {wait: long}}", "is not a length of time")]
    [InlineData("work: {haste: 1}", "is not a key of work")]
    [InlineData("work: {tell-people: {before: 20 seconds}}", "is too short or too long")]
    [InlineData("work: {tell-people: {before: 3 hours}}", "is too short or too long")]
    [InlineData("work: {tell-people: {put-off: 6}}", "is not a number of times")]
    [InlineData("work: {tell-people: {language: xx}}", "Nothing is said in `xx` yet")]
    [InlineData("work: {tell-people: {loudly: yes}}", "is not a key of tell-people")]
    public void Wrong_rules_for_the_work_are_refused(string work, string words) =>
        Should.Throw<BriefException>(() => BriefReader.Read(Good + "\n" + work + "\n")).Message.ShouldContain(words);

    [Theory]
    [InlineData("existing: keep", "does not say what to do")]
    [InlineData("method: adopt", "is not a method to ask for")]
    [InlineData("leave: copy", "cannot stay at the former place")]
    [InlineData("attended: maybe", "neither yes nor no")]
    public void Wrong_words_for_what_exists_are_refused(string line, string words) =>
        Should
            .Throw<BriefException>(() =>
                BriefReader.Read(Good.Replace("onto: roomy", "onto: roomy\n    " + line, StringComparison.Ordinal))
            )
            .Message.ShouldContain(words);
}
