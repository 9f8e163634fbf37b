using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// A system volume with nothing left on it, without space that only the system may use: why most relocations are made.
/// </summary>
public sealed class FullSystemVolumeTests() : RealDesk(systemVolume: "xfs")
{
    [Fact]
    public void What_fills_the_system_volume_is_relocated_although_nothing_is_left_there_and_can_be_returned()
    {
        LinuxTree.Sh(
            $"mkdir {Tree.Home}/Documents {Tree.Home}/Pictures; cp -r /usr/include {Tree.Home}/Documents/ "
                + $"2>/dev/null; head -c 30M /dev/urandom > {Tree.Home}/Pictures/plate.tif"
        );
        Enrol();
        File.Exists($"{Tree.Root}/var/lib/furlough-agent/reserve").ShouldBeTrue();
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        Fill();
        Field.Run("run", "follow", StartRun()).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe("/data/People/asa.lind/Documents");
        Field
            .Run(
                "original",
                "discard",
                Original("Documents"),
                "--before-its-time",
                "--reason",
                "the volume is full",
                "--yes",
                "--follow"
            )
            .Code.ShouldBe(0);
        LinuxTree.Sh($"rm -r {Tree.Root}/fill*");
        Field
            .Run("relocation", "return", Relocation("Documents").GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        File.Exists($"{Tree.Root}/var/lib/furlough-agent/reserve").ShouldBeTrue("there is room for it again");
    }

    /// <summary>Large files first, then small ones, until not even an empty folder can be made.</summary>
    private void Fill()
    {
        LinuxTree.Sh(
            $"dd if=/dev/zero of={Tree.Root}/fill bs=1M 2>/dev/null || true; for i in 1 2 3; do sync; dd "
                + $"if=/dev/zero of={Tree.Root}/fill-$i bs=4k 2>/dev/null || true; done; for i in $(seq 3000); do mkdir "
                + $"{Tree.Root}/fill-in-$i 2>/dev/null || break; done; sync; true"
        );
        const long hardlyAnything = 1 << 20;
        long.Parse(
                LinuxTree.Sh($"df --output=avail -B1 {Tree.Root} | tail -1"),
                System.Globalization.CultureInfo.InvariantCulture
            )
            .ShouldBeLessThan(hardlyAnything);
    }
}
