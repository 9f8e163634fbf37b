using Furlough.Contracts;
using Furlough.Engine.Checks;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Station.World;

namespace Furlough.Station.Tests;

public sealed class StationFolderTests : FolderContractTests, IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-station-").FullName;
    private readonly StationMachine _machine;

    public StationFolderTests()
    {
        _machine = new StationMachine(FieldStation.Make(1, 7)[0], _folder, new StationClock(1e9));
        using var volume = _machine.Volumes.Require(
            _machine.Surveyor.Take([], [], _ => false, CancellationToken.None).Volumes.First(v => !v.System).Identity
        );
        Root = volume.OpenRoot();
    }

    protected override IFolder Root { get; }

    protected override FolderTraits Traits => new(Links: true, FurtherNames: false, Rights: true);

    public void Dispose()
    {
        _machine.Dispose();
        Directory.Delete(_folder, recursive: true);
    }
}
