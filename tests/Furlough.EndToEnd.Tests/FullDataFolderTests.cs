using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The volume on which an agent keeps its journal is full: nothing is begun, the technician learns why, and when there
/// is room again everything continues automatically.
/// </summary>
public sealed class FullDataFolderTests : RealDesk, IDisposable
{
    private string Data => Path.Combine(Field.Folder, "map-01");

    public new void Dispose()
    {
        Field.EndAgents();
        LinuxTree.Sh($"umount {Data} || true");
        base.Dispose();
        GC.SuppressFinalize(this);
    }

    [Fact]
    public void A_machine_whose_journal_cannot_be_written_is_not_just_queued()
    {
        LinuxTree.Sh(
            $"mkdir {Tree.Home}/Documents {Tree.Home}/Pictures; echo x > {Tree.Home}/Documents/plot; mkdir "
                + $"{Data}; mount -t tmpfs -o size=3m none {Data}"
        );
        var agent = Enrol();
        LinuxTree.Sh($"dd if=/dev/zero of={Data}/fill bs=4k 2>/dev/null || true");
        var run = StartRun();
        Field.WaitFor(
            () => Field.Run("run", "show", run).Out.Contains("no room for its journal", StringComparison.Ordinal),
            "the reason"
        );
        Field
            .Run("machine", "list")
            .ShouldSatisfyAllConditions(
                o => o.Out.ShouldContain("stuck"),
                o => o.Out.ShouldContain("Its agent has no room for its journal")
            );
        Field.Run("run", "show", run, "--json").Json.GetProperty("counts").GetProperty("queued").GetInt32().ShouldBe(2);
        // One that is started again meanwhile, as after a restart of the machine, waits as well.
        Field.Kill(agent);
        var again = Field.StartAgent(Tree.Root, "map-01");
        CancellationToken.None.WaitHandle.WaitOne(TimeSpan.FromSeconds(5));
        again.HasExited.ShouldBeFalse("it ended");
        LinuxTree.Sh($"rm {Data}/fill");
        Field.Run("run", "follow", run).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.WaitFor(
            () => !Field.Run("machine", "list").Out.Contains("journal", StringComparison.Ordinal),
            "the all-clear"
        );
    }
}
