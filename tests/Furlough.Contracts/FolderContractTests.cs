using Furlough.Engine.Checks;
using Furlough.Engine.Ports;
using Xunit;

namespace Furlough.Contracts;

/// <summary>What every file system adapter must do, real or simulated.</summary>
public abstract class FolderContractTests
{
    /// <summary>An empty folder on a fresh volume.</summary>
    protected abstract IFolder Root { get; }

    /// <summary>What the volume is asked to keep.</summary>
    protected virtual FolderTraits Traits => new(Links: true, FurtherNames: true, Rights: true);

    public static TheoryData<string> Checks => [.. FolderChecks.All.Keys];

    [Theory]
    [MemberData(nameof(Checks))]
    public void The_contract_of_folders_is_kept(string check) => FolderChecks.All[check](Root, Traits);
}
