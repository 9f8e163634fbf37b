using System.Text.Json;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Furlough.Station.World;
using Shouldly;
using Xunit;

namespace Furlough.Station.Tests;

public sealed class StationTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-station-").FullName;
    private readonly MemoryJournal _journal = new();
    private readonly Recorder _recorder = new();

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_same_seed_gives_the_same_station_and_another_seed_another()
    {
        Describe(7).ShouldBe(Describe(7));
        Describe(7).ShouldNotBe(Describe(8));

        static string Describe(ulong seed) => JsonSerializer.Serialize(FieldStation.Make(70, seed));
    }

    [Fact]
    public void The_station_has_its_rooms_and_as_many_further_machines_as_wanted()
    {
        FieldStation
            .Make(59, 7)
            .GroupBy(m => m.Room)
            .ToDictionary(g => g.Key, g => g.Count())
            .ShouldBe(
                new Dictionary<string, int>
                {
                    ["Herbarium"] = 10,
                    ["Map Room"] = 8,
                    ["Wet Lab"] = 12,
                    ["Seminar Lab"] = 24,
                    ["Cabin"] = 5,
                }
            );
        FieldStation.Make(500, 7).Select(m => m.Name).Distinct().Count().ShouldBe(500);
    }

    [Fact]
    public void A_stand_in_is_found_again_as_it_was()
    {
        var spec = FieldStation.Make(59, 7).First(m => m.Name == "sem-01");
        string after;
        using (var machine = Open(spec))
        {
            Run(
                    machine,
                    Dockets.Relocate(Survey(machine), "Documents", "People/x/Documents", account: spec.Accounts[1].Name)
                )
                .ShouldBe(RelocationState.Switched, _recorder.Last.Failure?.ToString());
            after = Text(machine);
        }
        using var again = Open(spec);
        Text(again).ShouldBe(after);
        after.ShouldContain("D:\\\\People\\\\x\\\\Documents");

        static string Text(StationMachine machine) =>
            JsonSerializer.Serialize(Survey(machine) with { TakenAt = default });
    }

    [Fact]
    public void Power_lost_between_two_settings_is_recovered_from()
    {
        var spec = FieldStation.Make(59, 7).First(m => m.Name == "herb-09");
        Docket docket;
        using (var machine = Open(spec))
        {
            docket = Dockets.Relocate(Survey(machine), "Music", "People/x/Music", account: spec.Accounts[1].Name);
            Should.Throw<PowerLossException>(() => Run(machine, docket));
            Values(machine).Distinct().Count().ShouldBe(2);
        }
        using var again = Open(spec);
        Values(again).Select(v => v.StartsWith("D:", StringComparison.Ordinal)).ShouldBe([true, false]);
        Run(again, docket).ShouldBe(RelocationState.Switched);
        Values(again).ShouldBe(["D:\\People\\x\\Music", "D:\\People\\x\\Music"]);

        List<string> Values(StationMachine machine) =>
            [.. docket.Pointers.Select(p => machine.Pointers.Read(p.Address).Text!)];
    }

    private StationMachine Open(MachineSpec spec) => new(spec, _folder, new StationClock(1e9));

    private static Survey Survey(StationMachine machine) =>
        machine.Surveyor.Take([], [], _ => false, CancellationToken.None);

    private RelocationState Run(StationMachine machine, Docket docket) =>
        new RelocationEngine(machine, _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(
            docket,
            _recorder,
            CancellationToken.None
        );
}
