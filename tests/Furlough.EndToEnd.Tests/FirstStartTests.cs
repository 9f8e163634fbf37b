using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Libraries that accounts of a whole Debian have not got yet.</summary>
public sealed class FirstStartTests() : RealDesk(megabytes: 300, whole: true)
{
    [Fact]
    public void A_library_that_an_account_has_not_got_yet_is_made_by_its_program_under_the_name_that_a_rule_gives_it()
    {
        File.WriteAllText(
            $"{Tree.Root}/usr/bin/sketcher",
            """
            #!/bin/sh
            mkdir -p "$HOME/Sketches" "$HOME/.config/sketcher"
            echo "made by $USER" > "$HOME/Sketches/index"
            printf '[library]\npath=%s/Sketches\n' "$HOME" > "$HOME/.config/sketcher/settings.ini"
            exec sleep 60
            """
        );
        LinuxTree.Sh($"chmod 755 {Tree.Root}/usr/bin/sketcher");
        Enrol("--card-commands");
        var card = Field.WriteBrief(
            """
            furlough-kind: 1
            name: sketches
            title: Sketch books, one for each
            found-by: /usr/bin/sketcher
            usual: "{home}/Sketches"
            closed: [sleep]
            first-start: [/usr/bin/sketcher]
            pointers: [{file: "{home}/.config/sketcher/settings.ini", syntax: ini, key: library/path}]
            """
        );
        Field
            .Run("kind", "check", card)
            .Out.ShouldContain("made, where an account has none yet and the agent allows commands: /usr/bin/sketcher");
        Field.Run("kind", "add", card).Code.ShouldBe(0);
        Field.WaitFor(
            () => Field.Run("machine", "show", "map-01").Out.Contains("sketches", StringComparison.Ordinal),
            "the library"
        );
        const string brief = """
            furlough-brief: 1
            title: A library for each
            machines: {names: [map-01]}
            volumes: {roomy: {system: false}}
            people: {asa.lind: {family-name: Lind, course: moss-101}}
            relocate:
              - {libraries: [sketches], accounts: [asa.lind], onto: roomy, path: "Libraries/{family-name}-{course}/{folder}"}
            """;
        Field
            .Run("plan", "make", Field.WriteBrief(brief))
            .Out.ShouldContain(
                "asa.lind has no sketches on map-01 yet: `/usr/bin/sketcher` makes it at `/home/asa.lind/Sketches`, then it is relocated."
            );
        Field.Run("run", "follow", StartRun(brief)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        File.ReadAllText($"{Tree.Root}/data/Libraries/Lind-moss-101/sketches/index").ShouldBe("made by asa.lind\n");
        File.ReadAllText($"{Tree.Home}/.config/sketcher/settings.ini")
            .ShouldBe("[library]\npath=/data/Libraries/Lind-moss-101/sketches\n");
        LinuxTree
            .Sh(
                $"stat -c '%u' {Tree.Root}/data/Libraries/Lind-moss-101/sketches {Tree.Root}/data/Libraries/Lind-moss-101/sketches/index"
            )
            .Split('\n')
            .ShouldBe(["1701", "1701", ""]);
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        Field
            .Run("relocation", "return", Relocation("sketches").GetProperty("number").ToString(), "--follow")
            .Code.ShouldBe(0);
        File.ReadAllText($"{Tree.Home}/.config/sketcher/settings.ini")
            .ShouldBe("[library]\npath=/home/asa.lind/Sketches\n");
        File.ReadAllText($"{Tree.Home}/Sketches/index").ShouldBe("made by asa.lind\n");
    }
}
