using System.Text.Json;
using Furlough.Contracts;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>What is to be left free belongs to a room or the fleet; a brief may differ.</summary>
public sealed class ReserveTests : IDisposable
{
    private const string Brief = """
        furlough-brief: 1
        title: Off the system volume
        machines: all
        volumes:
          data: {system: false}
        relocate:
          - {folders: [Documents], onto: data, path: "People/{account}/{folder}"}
        """;

    private readonly Field _field = new();
    private readonly MadeUpMachine _machine;

    public ReserveTests()
    {
        _field.StartService();
        _machine = new MadeUpMachine(_field, "map-01");
        _machine.Survey(MadeUpSurvey.Usual());
    }

    public void Dispose()
    {
        _machine.Dispose();
        _field.Dispose();
    }

    [Fact]
    public void A_reserve_of_a_room_is_told_with_its_volumes_and_holds_in_plans_unless_the_brief_says_another()
    {
        _field.Run("machine", "reserve").Out.ShouldContain("No reserve is said");
        _field
            .Run("machine", "reserve", "--system", "25%", "--others", "10 GB")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("all others"),
                o => o.Out.ShouldContain("25%")
            );
        Reserve("/").ShouldBe(25_000_000_000);
        Reserve("/data").ShouldBe(10_000_000_000);
        HazardsOf(Brief).ShouldNotContain("reserve-broken");

        // The room's own comes before the fleet's, and what comes with the next survey goes by it too.
        _field.Run("machine", "reserve", "--room", "Map Room", "--others", "850 GB").Code.ShouldBe(0);
        Reserve("/data").ShouldBe(850_000_000_000);
        Reserve("/").ShouldBe(0);
        _machine.Survey(MadeUpSurvey.Usual());
        Reserve("/data").ShouldBe(850_000_000_000);
        HazardsOf(Brief).ShouldContain("reserve-broken");
        HazardsOf(Brief + "\nreserve: {others: 1%}\n").ShouldNotContain("reserve-broken");
        Reserve("/data").ShouldBe(850_000_000_000, "a brief's own reserve is that of its plans alone");

        _field.Run("machine", "reserve", "--room", "Map Room", "--none").Code.ShouldBe(0);
        Reserve("/data").ShouldBe(10_000_000_000);
        _field.Run("machine", "reserve", "--none").Out.ShouldContain("No reserve is said");
        Reserve("/data").ShouldBe(0);
        _field.Run("history", "list").Out.ShouldContain("reserve");
    }

    [Fact]
    public void What_is_no_reserve_is_refused_and_changes_nothing()
    {
        foreach (
            var bad in (string[][])
                [
                    ["--system", "much"],
                    ["--system", "95%"],
                    ["--others", "-1 GB"],
                    ["--room", "Attic", "--system", "10%"],
                    ["--none", "--system", "10%"],
                ]
        )
            _field
                .Run(["machine", "reserve", .. bad])
                .ShouldSatisfyAllConditions(o => o.Code.ShouldNotBe(0, o.ToString()), o => o.Error.ShouldNotBeEmpty());
        _field.Run("machine", "reserve").Out.ShouldContain("No reserve is said");
    }

    private long Reserve(string root) =>
        _field.Run("machine", "space", "--json").Json is var space
        && space.ValueKind == JsonValueKind.Object
        && space.TryGetProperty("volumes", out var volumes)
            ? Of(volumes, root)
            : Of(space, root);

    private static long Of(JsonElement volumes, string root) =>
        volumes
            .EnumerateArray()
            .Single(v => v.GetProperty("root").GetString() == root)
            .GetProperty("reserveBytes")
            .GetInt64();

    private IReadOnlyList<string> HazardsOf(string brief)
    {
        var plan = _field.Run("plan", "make", _field.WriteBrief(brief), "--json");
        plan.Code.ShouldBe(0, plan.ToString());
        return [.. plan.Json.GetProperty("hazards").EnumerateArray().Select(h => h.GetProperty("code").GetString()!)];
    }
}
