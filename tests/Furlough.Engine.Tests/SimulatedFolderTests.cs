using Furlough.Contracts;
using Furlough.Engine.Ports;

namespace Furlough.Engine.Tests;

public sealed class SimulatedFolderTests : FolderContractTests
{
    private readonly SimulatedDisk _disk = new();

    protected override IFolder Root => new SimulatedFolder(_disk, _disk.Root("data"), "");
}
