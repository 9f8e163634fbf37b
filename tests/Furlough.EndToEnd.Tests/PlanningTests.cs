using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// Looking and planning over a small field station: what fills the machines, what to relocate, how long it takes.
/// </summary>
public sealed class PlanningTests : IDisposable
{
    private const string Rest = """
        furlough-brief: 1
        title: Map Room
        machines: {rooms: [Map Room], except: [map-06]}
        volumes: {roomy: {attached: internal, system: false}}
        relocate:
          - {folders: [Documents, Pictures, Music, Videos, Downloads], onto: roomy, path: "People/{account}/{folder}"}
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-planning-").FullName;
    private readonly Process _demo;
    private readonly string _address = "",
        _token = "";

    public PlanningTests()
    {
        _demo = Field.Launch(
            "furlough",
            [
                "demo",
                "start",
                "--data",
                $"{_folder}/demo",
                "--port",
                "0",
                "--machines",
                "18",
                "--run",
                "Herbarium",
                "--speed",
                "20000",
            ]
        );
        while (_demo.StandardOutput.ReadLine() is { } line)
        {
            if (line.StartsWith("Console", StringComparison.Ordinal))
                (_address, _token) = line["Console".Length..].Trim().Split("/#token=") is [var address, var token]
                    ? (address, token)
                    : ("", "");
            if (line.Contains("stays open", StringComparison.Ordinal))
                return;
        }
        throw new InvalidOperationException(_demo.StandardError.ReadToEnd());
    }

    public void Dispose()
    {
        if (!_demo.HasExited)
            Field.Kill(_demo);
        _demo.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    /// <summary>On one demo, which takes a while to come up.</summary>
    [Fact]
    public void Space_suggestions_and_forecasts_are_right_on_a_fleet_that_has_shown_something()
    {
        Space_is_told_by_the_day_on_which_it_ends_and_a_suggestion_is_a_brief_that_plans_as_it_says();
        What_one_wave_has_shown_forecasts_nine_of_ten_of_the_next_within_a_fifth();
    }

    private void What_one_wave_has_shown_forecasts_nine_of_ten_of_the_next_within_a_fifth()
    {
        var plan = Run("plan", "make", Brief(Rest), "--json").Json.GetProperty("number").ToString();
        Run("plan", "show", plan).Out.ShouldContain("Times are from what this fleet has shown.");
        Run("run", "start", "--plan", plan).Code.ShouldBe(0);
        var followed = Run("run", "follow", "2");
        followed.Code.ShouldBe(0, followed.ToString());
        var rows = Run("relocation", "list", "--run", "2", "--json")
            .Json.EnumerateArray()
            .Select(r =>
                (
                    Likely: Seconds(r.GetProperty("forecast").GetProperty("work").GetProperty("likely")),
                    Took: r.GetProperty("times").EnumerateArray().Sum(t => Seconds(t.GetProperty("took")))
                )
            )
            .ToList();
        rows.Count.ShouldBeGreaterThan(50);
        rows.Count(r => Math.Abs(r.Took - r.Likely) <= 0.2 * r.Likely).ShouldBeGreaterThan((int)(0.9 * rows.Count));
        followed.Out.ShouldContain(
            $"within 20% for {rows.Count(r => Math.Abs(r.Took - r.Likely) <= 0.2 * r.Likely)} of {rows.Count}"
        );
    }

    private void Space_is_told_by_the_day_on_which_it_ends_and_a_suggestion_is_a_brief_that_plans_as_it_says()
    {
        var volumes = Run("machine", "space", "--json").Json.EnumerateArray().ToList();
        volumes.Count.ShouldBe(36);
        var days = volumes
            .Select(v =>
                v.GetProperty("daysLeft") is { ValueKind: JsonValueKind.Number } d
                    ? d.GetDouble()
                    : double.PositiveInfinity
            )
            .ToList();
        days.ShouldBe(days.Order());
        var first = volumes[0].GetProperty("machine").GetString()!;
        var one = Run("machine", "space", first);
        one.Out.ShouldContain("days it filled up by");
        one.Out.ShouldContain("not managed");

        var suggested = Run("brief", "suggest", "--free", "30 GB", "--room", "Map Room");
        suggested.Code.ShouldBe(3, "map-06 has no second internal volume");
        suggested.Out.ShouldContain("map-06 (Map Room): frees 0 B of 30.0 GB wanted, NOT REACHED");
        var plan = Run("plan", "make", Brief(suggested.Out), "--json").Json;
        foreach (var machine in plan.GetProperty("machines").EnumerateArray())
            machine.GetProperty("dataBytes").GetInt64().ShouldBeGreaterThanOrEqualTo(30_000_000_000);
        plan.GetProperty("hazards")
            .EnumerateArray()
            .ShouldNotContain(h => h.GetProperty("severity").GetString() == "blocking");

        Run("brief", "suggest")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("not clear how much space")
            );
        Run("brief", "suggest", "--free", "much")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("`much` is not an amount of space")
            );
        Run("brief", "suggest", "--until", "30%", "--room", "Attic")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("no machine"));
        Run("machine", "space", "nowhere")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("nowhere"));
    }

    private static double Seconds(JsonElement time) =>
        TimeSpan.Parse(time.GetString()!, CultureInfo.InvariantCulture).TotalSeconds;

    private string Brief(string text)
    {
        var path = $"{_folder}/{Guid.NewGuid():N}.yaml";
        File.WriteAllText(path, text);
        return path;
    }

    private Outcome Run(params string[] arguments)
    {
        using var process = Field.Launch("furlough", [.. arguments, "--service", _address, "--token", _token]);
        return Field.Finish(process);
    }
}
