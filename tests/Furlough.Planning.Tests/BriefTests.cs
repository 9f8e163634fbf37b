using Furlough.Model;
using Furlough.Planning.Briefs;
using Shouldly;
using Xunit;

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

    [Fact]
    public void The_sample_is_a_good_brief() => BriefReader.Read(BriefSample.Text).Relocate[0].Folders.ShouldBe(["Documents", "Pictures", "Music", "Videos", "Downloads"]);

    [Fact]
    public void A_good_brief_is_read_whole()
    {
        var brief = BriefReader.Read(Good);
        brief.Machines.Includes("herb-04", "Herbarium").ShouldBeTrue();
        brief.Machines.Includes("herb-10", "Herbarium").ShouldBeFalse();
        brief.Machines.Includes("map-01", "Map Room").ShouldBeFalse();
        brief.Keep.ShouldBe(TimeSpan.FromDays(7));
        brief.SystemReserve.Of(1_000).ShouldBe(200);
        brief.OtherReserve.Of(1_000).ShouldBe(50_000_000_000);
        brief.Waves.Select(w => w.Name).ShouldBe(["pilot", "early", "everybody"]);
        brief.HaltAfter.ShouldBe(3);
    }

    [Theory]
    [InlineData("title: Herbarium", "titel: Herbarium", 2, 1, "`titel` is no key of the brief. Perhaps `title` is meant.")]
    [InlineData("furlough-brief: 1", "furlough-brief: 9", 1, 17, "Version 9")]
    [InlineData("7 days", "7 fortnights", 11, 16, "no length of time")]
    [InlineData("20%", "20 parsecs", 12, 19, "no amount of space")]
    [InlineData("20%", "95%", 12, 19, "leaves no room")]
    [InlineData("onto: roomy", "onto: romy", 9, 11, "The role `romy` is not described under `volumes`. Perhaps `roomy` is meant.")]
    [InlineData("onto: roomy", "onto: 'D:'", 9, 11, "`D:` is a drive letter")]
    [InlineData("  roomy: {attached", "  'D:': {attached", 5, 3, "`D:` is a drive letter")]
    [InlineData("attached: internal", "attached: glued", 5, 21, "`glued` is not known here")]
    [InlineData("[Documents, Pictures]", "[Documents, Pictuers]", 7, 14, "`Pictuers` is no user folder. Perhaps `Pictures` is meant.")]
    [InlineData("People/{account}/{folder}", "People/../../etc", 10, 11, "has a part that is empty, `.` or `..`")]
    [InlineData("People/{account}/{folder}", "/srv/{account}", 10, 11, "is no path below a volume")]
    [InlineData("People/{account}/{folder}", "People/{acount}", 10, 11, "`{acount}` is no variable. Perhaps `account` is meant.")]
    [InlineData("everybody: the rest", "everybody: some", 13, 63, "no size of a wave")]
    [InlineData("3 failures", "many", 14, 13, "no limit")]
    [InlineData("title: Herbarium", "title: Herbarium\ntitle: Twice", 3, 1, "no valid YAML")]
    [InlineData("title: Herbarium", "title: &a Herbarium", 2, 8, "Anchors")]
    [InlineData("machines: {rooms", "machines: [rooms", 3, 26, "no valid YAML")]
    public void A_wrong_brief_says_where_and_what(string right, string wrong, int line, int column, string message)
    {
        var error = Should.Throw<BriefException>(() => BriefReader.Read(Good.Replace(right, wrong, StringComparison.Ordinal))).Errors[0];
        error.Message.ShouldContain(message);
        error.Line.ShouldBe(line);
        if (message != "no valid YAML") error.Column.ShouldBe(column);
        error.Expected.ShouldNotBeEmpty();
    }

    [Fact]
    public void Exploding_anchors_and_huge_briefs_are_refused_at_once()
    {
        var bomb = "a: &a [x,x]\n" + string.Concat(Enumerable.Range(0, 30).Select(i => $"b{i}: &b{i} [*a,*a,*a,*a]\n"));
        Should.Throw<BriefException>(() => BriefReader.Read(bomb)).Errors[0].Message.ShouldContain("Anchors");
        Should.Throw<BriefException>(() => BriefReader.Read(new string('x', 10_000_000))).Errors[0].Message.ShouldContain("characters");
    }

    [Fact]
    public void Several_errors_are_all_listed() =>
        Should.Throw<BriefException>(() => BriefReader.Read(Good.Replace("7 days", "7", StringComparison.Ordinal).Replace("3 failures", "x", StringComparison.Ordinal))).Errors.Count.ShouldBe(2);

    [Theory]
    [InlineData("under-way", RelocationState.UnderWay)]
    [InlineData("set-aside", null)]
    public void Words_are_spelled_with_hyphens(string word, RelocationState? state) => Words.Find<RelocationState>(word).ShouldBe(state);

    [Fact]
    public void How_the_work_treats_people_is_read_with_its_usual_values()
    {
        var usual = BriefReader.Read(Good).Work;
        usual.ShouldBe(WorkRules.Usual);
        usual.For(Method.Cold).KeepWaiting.ShouldBeFalse();
        usual.For(Method.Warm).KeepWaiting.ShouldBeTrue();
        BriefReader.Read(Good + "\nwork: {speed: 40 MB/s, priority: low, files-in-use: {wait: 90 seconds, then: fail}}\n").Work.For(Method.Warm)
            .ShouldBe(new Terms(40_000_000, true, TimeSpan.FromSeconds(90), false));
    }

    [Theory]
    [InlineData("work: {speed: fast}", "is no speed")]
    [InlineData("work: {priority: high}", "is no priority")]
    [InlineData("work: {files-in-use: {then: hope}}", "says not what follows")]
    [InlineData("work: {files-in-use: {wait: long}}", "is no length of time")]
    [InlineData("work: {haste: 1}", "is no key of work")]
    public void Wrong_rules_for_the_work_are_refused(string work, string words) =>
        Should.Throw<BriefException>(() => BriefReader.Read(Good + "\n" + work + "\n")).Message.ShouldContain(words);

    [Theory]
    [InlineData("existing: keep", "says not what to do")]
    [InlineData("method: adopt", "is no method to ask for")]
    public void Wrong_words_for_what_exists_are_refused(string line, string words) =>
        Should.Throw<BriefException>(() => BriefReader.Read(Good.Replace("onto: roomy", "onto: roomy\n    " + line, StringComparison.Ordinal))).Message.ShouldContain(words);
}
