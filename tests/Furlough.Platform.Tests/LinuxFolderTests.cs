using Furlough.Contracts;
using Furlough.Engine.Checks;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Linux;

namespace Furlough.Platform.Tests;

public abstract class LinuxFolderTests : FolderContractTests, IDisposable
{
    private readonly LinuxTree _tree;
    private readonly IVolume _volume;

    protected LinuxFolderTests(string fileSystem)
    {
        _tree = new LinuxTree(fileSystem, 320);
        var machine = _tree.Machine();
        var facts = machine.Surveyor.Take([], [], _ => false, CancellationToken.None).Volumes.First(v => !v.System);
        _volume = machine.Volumes.Require(facts.Identity);
        using var root = _volume.OpenRoot();
        Root = root.MakeFolder("contract", 0x1ED);
    }

    protected override IFolder Root { get; }

    public void Dispose()
    {
        Root.Dispose();
        _volume.Dispose();
        _tree.Dispose();
    }
}

public sealed class Ext4FolderTests() : LinuxFolderTests("ext4");

public sealed class XfsFolderTests() : LinuxFolderTests("xfs");

public sealed class BtrfsFolderTests() : LinuxFolderTests("btrfs");

/// <summary>A file system outside the kernel that lacks several of its calls; this one stores no owners.</summary>
public sealed class NtfsFolderTests() : LinuxFolderTests("ntfs")
{
    protected override FolderTraits Traits => new(Links: true, FurtherNames: true, Rights: false);
}

public sealed class ExfatFolderTests() : LinuxFolderTests("exfat")
{
    protected override FolderTraits Traits => new(Links: false, FurtherNames: false, Rights: false);
}

public sealed class MemoryFolderTests() : LinuxFolderTests("tmpfs");
