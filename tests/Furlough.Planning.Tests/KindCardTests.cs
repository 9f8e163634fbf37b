using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Kinds;
using Furlough.Planning.Suggestions;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

/// <summary>Kind cards, and libraries in briefs.</summary>
public sealed class KindCardTests
{
    private const string Good = """
        furlough-kind: 1
        name: sketches
        title: Sketch books
        systems: ["Debian*"]
        pointers:
          - {file: "{home}/.config/sketcher/settings.ini", syntax: ini, key: library/path}
          - {file: "{home}/.sketcher.json", syntax: json, key: roots/0, wants: parent, adds: Sketches}
          - {link: "{home}/sketches"}
        """;

    [Fact]
    public void A_card_is_read_and_the_sample_is_one()
    {
        var card = KindCardReader.Read(Good);
        (card.Name, card.Title, card.Systems.Single()).ShouldBe(("sketches", "Sketch books", "Debian*"));
        card.Pointers.ShouldBe([new("ini", "{home}/.config/sketcher/settings.ini", "library/path", PointerShape.Folder, null), new("json", "{home}/.sketcher.json", "roots/0", PointerShape.Parent, "Sketches"), new("link", "{home}/sketches", "", PointerShape.Folder, null)]);
        KindCardReader.Read(KindCardReader.Sample).Pointers.Count.ShouldBe(1);
    }

    [Theory]
    [InlineData("furlough-kind: 1", "furlough-kind: 2", "line 1, column 16: Version 2 of kind cards is not known.")]
    [InlineData("name: sketches", "name: Sketches!", "is no name of a kind")]
    [InlineData("title: Sketch books", "titel: x", "`titel` is no key of the card. Perhaps `title` is meant.")]
    [InlineData("syntax: ini", "syntax: inn", "Files of the syntax `inn` cannot be changed. Perhaps `ini` is meant.")]
    [InlineData("\"{home}/.config/sketcher/settings.ini\"", "/etc/shadow", "lies in nobody's home")]
    [InlineData("\"{home}/.config/sketcher/settings.ini\"", "\"{home}/../keeper/x\"", "has a part that is empty")]
    [InlineData("\"{home}/.config/sketcher/settings.ini\"", "\"{home}/{folder}\"", "`{folder}` is no variable.")]
    [InlineData("key: library/path", "key: library//path", "has an empty part")]
    [InlineData(", adds: Sketches", "", "says not what the program adds")]
    [InlineData("wants: parent, ", "", "adds no name")]
    [InlineData("adds: Sketches", "adds: ..", "is no folder name")]
    [InlineData("wants: parent", "wants: child", "is not known here")]
    [InlineData("title: Sketch books", "title: &a Sketch books", "Anchors and aliases are not used in a kind card.")]
    [InlineData("syntax: json", "link: \"{home}/sketches\"", "A link has no `file`.")]
    [InlineData("title: Sketch books", "name: twice", "Duplicate key")]
    public void A_wrong_card_is_refused_with_its_place(string part, string wrong, string words) =>
        Should.Throw<KindCardException>(() => KindCardReader.Read(Good.Replace(part, wrong, StringComparison.Ordinal))).Message.ShouldContain(words);

    [Fact]
    public void A_brief_names_libraries_by_their_kinds()
    {
        var brief = Brief("folders: [Documents, Pictures]", "libraries: [sketches]");
        var library = Holding("sketches") with { Name = new HoldingName("asa.lind", HoldingKind.Library, "sketches") };
        Plan(brief, Survey([Small(), Data()], Holding("Pictures"), library)).Relocations.Single().ShouldSatisfyAllConditions(r => r.Holding.Kind.ShouldBe(HoldingKind.Library), r => r.TargetShown.ShouldEndWith("\\sketches"));
        Plan(Brief(), Survey([Small(), Data()], library)).Relocations.ShouldBeEmpty();
    }

    [Fact]
    public void A_suggestion_names_libraries_as_libraries()
    {
        var library = Holding("sketches", 30 * GB) with { Name = new HoldingName("asa.lind", HoldingKind.Library, "sketches") };
        var machine = Machine(Survey([Small(), Data()], Holding("Pictures", 30 * GB), library));
        var wish = new SpaceWish(new MachineChoice([], [], []), 60 * GB, null, ReserveAmount.None, Weights.Usual);
        var suggested = FleetSuggestion.Brief("All of it", wish, new FleetSuggestion(wish, Experience.None).Of([machine]))!;
        suggested.ShouldContain("libraries: [sketches]");
        Plan(BriefReader.Read(suggested), machine).Relocations.Select(r => r.Holding.Name).ShouldBe(["Pictures", "sketches"], ignoreOrder: true);
    }

    [Fact]
    public void A_target_ends_in_the_name_that_the_program_adds()
    {
        var brief = Brief("folders: [Documents, Pictures]", "libraries: [sketches]");
        var library = Holding("sketches") with { Name = new HoldingName("asa.lind", HoldingKind.Library, "sketches") };
        HoldingFacts Adding(string name) => library with { Pointers = [library.Pointers[0] with { Address = library.Pointers[0].Address with { Adds = name } }] };
        Plan(brief, Survey([Small(), Data()], Adding("sketches"))).Hazards.ShouldBeEmpty();
        Plan(brief, Survey([Small(), Data()], Adding("Sketches"))).Hazards.Single().ShouldSatisfyAllConditions(h => h.Code.ShouldBe("pointer-shape"), h => h.Severity.ShouldBe(Severity.Blocking), h => h.Remedy.ShouldBe("End the path with `/Sketches`."));
    }
}
