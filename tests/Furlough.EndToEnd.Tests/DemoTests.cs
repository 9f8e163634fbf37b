using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class DemoTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-demo-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_herbarium_fails_where_the_script_says_and_nowhere_else()
    {
        using var demo = Field.Launch(
            "furlough",
            [
                "demo",
                "start",
                "--data",
                $"{_folder}/demo",
                "--port",
                "0",
                "--machines",
                "10",
                "--run",
                "Herbarium",
                "--once",
                "--speed",
                "6000",
            ]
        );
        var outcome = Field.Finish(demo);
        outcome.Code.ShouldBe(0, outcome.ToString());
        outcome.Out.ShouldContain("herb-09 lost its power and comes back");
        outcome.Out.ShouldContain("1 failed, 99 switched");
        outcome.Out.ShouldContain(
            "The relocation of Pictures of asa.lind stopped: `plots/2019/quadrat-77.tif` cannot be read "
                + "(input/output error).\n    Nothing has changed; the data lives at its source, "
                + "`C:\\Accounts\\asa.lind\\Pictures`.\n    Check the disk"
        );
    }

    [Fact]
    public void In_a_terminal_the_run_is_followed_live()
    {
        using var terminal = System.Diagnostics.Process.Start(
            new System.Diagnostics.ProcessStartInfo(
                "script",
                [
                    "-qec",
                    $"stty cols 150 rows 40; {Field.Program("furlough")} demo start --data {_folder}/demo --port "
                        + "0 --machines 14 --run 'Map Room' --once --speed 2000",
                    "/dev/null",
                ]
            )
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            }
        )!;
        var outcome = Field.Finish(terminal);
        outcome.Code.ShouldBe(0, outcome.ToString());
        outcome.Out.ShouldContain("\u001b[");
        outcome.Out.ShouldMatch("of [a-z.]+  (copy|prove|prepare)");
        outcome.Out.ShouldContain("switched");
    }

    [Fact]
    public void A_folder_that_no_demo_made_is_never_removed()
    {
        File.WriteAllText($"{_folder}/precious", "mine");
        using var demo = Field.Launch("furlough", ["demo", "start", "--data", _folder, "--fresh", "--port", "0"]);
        Field
            .Finish(demo)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(1), o => o.Error.ShouldContain("was not made by a demo"));
        File.ReadAllText($"{_folder}/precious").ShouldBe("mine");
    }
}
