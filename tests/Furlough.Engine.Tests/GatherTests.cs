using System.Text.RegularExpressions;
using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>
/// What stands again at the former place after the switch is copied into a folder of its own in the live place.
/// </summary>
public sealed partial class GatherTests
{
    private const string Found = "Found at the former place ";

    private readonly Bench _bench = new();
    private readonly string _again;

    public GatherTests()
    {
        _bench.Run().ShouldBe(RelocationState.Switched);
        using (var home = Open(Bench.Source with { Path = "home/asa.lind" }))
        using (var again = home.MakeFolder("Pictures", 0x1ED))
        using (var inner = again.MakeFolder("scans", 0x1C0))
        {
            Write(again, "late.txt", "written after the switch"u8);
            Write(inner, "plate-7", [1, 2, 3]);
        }
        Flush();
        _again = _bench.Machine.Describe(Bench.Source);
        _bench.Begin(DocketWork.Gather);
    }

    [Fact]
    public void It_arrives_beside_what_is_there_and_stays_where_it_was_I7()
    {
        _bench.Run().ShouldBe(RelocationState.Switched, _bench.Recorder.Last.Failure?.ToString());
        EndFault(1).ShouldBeNull();
        _bench.Recorder.Last.Notes.ShouldContain(n => n.Contains(Found, StringComparison.Ordinal));
        _bench.Recorder.Last.Pointers.ShouldBeEmpty();

        _bench.Begin(DocketWork.Gather);
        _bench.Run().ShouldBe(RelocationState.Switched);
        EndFault(2).ShouldBeNull();
    }

    [Fact]
    public void A_file_changed_while_it_is_copied_arrives_as_it_was_last_or_stops_the_work_I3()
    {
        var left = 40;
        _bench.Disk.Meanwhile = () =>
        {
            if (--left <= 0)
                return;
            using var again = Open(Bench.Source);
            using var file = again.OpenFile("late.txt");
            file.Append([(byte)left]);
        };
        var end = _bench.Run();
        _bench.Disk.Meanwhile = () => { };
        if (end == RelocationState.Failed)
            LiveFault(0).ShouldBeNull();
        else
            Gathered().Single().ShouldBe(Below(_bench.Machine.Describe(Bench.Source)));
    }

    [Fact]
    public void A_crash_after_any_operation_is_finished_afterwards_I2_I5_I7()
    {
        for (var (at, finished) = (1, false); !finished; at++)
        {
            (var fault, finished) = new GatherTests().CrashedAt(at, new Random(at));
            fault.ShouldBeNull($"crashed after operation {at}");
        }
    }

    [Fact]
    public void Without_any_one_of_its_flushes_it_is_found_out_I4()
    {
        var flushes = CrashTests.FlushesOf(_bench);
        // Of one rename's two folders flushing either is enough on the disks simulated here. The folder of all dockets
        // was there before: its name is durable already.
        string[] rename = ["gather: folder People/asa.lind/Pictures", "gather: folder .furlough-dockets/(own)-copy"];
        IsFoundOut(rename, rename.Min(f => flushes[f])).ShouldBeTrue();
        flushes
            .Keys.Except([.. rename, "prepare: folder ", CrashTests.OfSource])
            .Where(f => !IsFoundOut([f], flushes[f]))
            .ShouldBeEmpty($"of {flushes.Count}: {string.Join(", ", flushes.Keys)}");
    }

    private static bool IsFoundOut(string[] flushes, int first)
    {
        for (var seed = 1; seed <= 6; seed++)
        for (var (at, finished) = (first, false); !finished; at++)
        {
            var tests = new GatherTests();
            tests._bench.Disk.Forgets = (what, where) => flushes.Contains(CrashTests.Named(tests._bench, what, where));
            (var fault, finished) = tests.CrashedAt(at, new Random(seed * 1_000 + at));
            if (fault is not null)
                return true;
        }
        return false;
    }

    [Theory]
    [InlineData(IoReason.Unreadable)]
    [InlineData(IoReason.NoSpace)]
    [InlineData(IoReason.ReadOnly)]
    [InlineData(IoReason.Gone)]
    public void A_fault_at_any_operation_changes_nothing_at_either_place_I2_I7(IoReason reason)
    {
        for (var at = 1; ; at++)
        {
            var tests = new GatherTests();
            tests._bench.Disk.FailWith = reason;
            tests._bench.Disk.FailAt = tests._bench.Disk.Operations + at;
            var end = tests._bench.Settle();
            if (!tests._bench.Disk.Injected)
                return;
            tests.LiveFault(1).ShouldBeNull($"after a fault at operation {at} ({end})");
            if (end == RelocationState.Failed)
                tests._bench.Recorder.Last.Failure!.Where.ShouldContain("former place is as it was");
        }
    }

    [Fact]
    public void Without_a_folder_at_the_former_place_or_at_the_live_one_nothing_is_done_I9()
    {
        using (var home = Open(Bench.Source with { Path = "home/asa.lind" }))
            TreeRemoval.Run(home, "Pictures", CancellationToken.None);
        _bench.Run().ShouldBe(RelocationState.Failed);
        _bench.Recorder.Last.Failure!.Code.ShouldBe("nothing-to-gather");

        var other = new GatherTests();
        using (var parent = other.Open(other._bench.Target with { Path = "People/asa.lind" }))
            parent.Move("Pictures", parent, "Elsewhere");
        other._bench.Run().ShouldBe(RelocationState.Failed);
        other._bench.Recorder.Last.Failure!.Code.ShouldBe("live-place-missing");
        other._bench.Machine.Describe(Bench.Source).ShouldBe(other._again);
    }

    [Fact]
    public void A_setting_that_leads_elsewhere_stops_it_I9()
    {
        _bench.Machine.Setting("two", "/data/Elsewhere");
        _bench.Run().ShouldBe(RelocationState.Failed);
        _bench.Recorder.Last.Failure!.Code.ShouldBe("pointer-changed");
        _bench.Machine.Setting("two").ShouldBe("/data/Elsewhere");
        LiveFolders(0).ShouldBeNull();
    }

    /// <summary>Crashes after an operation, or at the end; runs on and says what is wrong.</summary>
    private (string? Fault, bool Finished) CrashedAt(int at, Random chance)
    {
        _bench.Disk.CrashAt = _bench.Disk.Operations + at;
        var first = _bench.Run();
        _bench.Disk.Crash(chance);
        if (LiveFault(1) is { } early)
            return (early, false);
        var end = first ?? _bench.Run();
        return (
            end == RelocationState.Switched ? EndFault(1) : $"it ended as {end}: {_bench.Recorder.Last.Failure}",
            first is not null
        );
    }

    /// <summary>
    /// What was live is as it was, with at most so many folders beside it; the former place is as it was, and the
    /// settings lead to the live place.
    /// </summary>
    private string? LiveFault(int most) =>
        _bench.Machine.Setting("one") != _bench.Machine.Show(_bench.Target)
        || _bench.Machine.Setting("two") != _bench.Machine.Show(_bench.Target)
            ? "a setting leads elsewhere"
            : LiveFolders(most);

    private string? LiveFolders(int most)
    {
        if (_bench.Machine.Describe(Bench.Source) != _again)
            return "the former place has changed";
        var live = Below(_bench.Machine.Describe(_bench.Target), except: Found);
        if (live != Below(_bench.Before))
            return $"the live place has changed:\n{live}";
        return Gathered().Count() > most ? "it was gathered more often than asked"
            : Gathered().Any(g => g != Below(_again)) ? "what was gathered is not whole"
            : null;
    }

    private string? EndFault(int times)
    {
        if (LiveFault(times) is { } fault)
            return fault;
        if (Gathered().Count() != times)
            return "it was not gathered";
        using var parent = Open(_bench.Target with { Path = "People/asa.lind" });
        return DocketFolders
            .List(new SimulatedFolder(_bench.Disk, _bench.Disk.Root("data"), ""), FileSystemAbilities.Full)
            .Contains(Layout.FolderOf(_bench.Docket.Id, DocketSide.Copy))
            ? "something is left of the work"
            : null;
    }

    /// <summary>The trees that stand gathered in the live place.</summary>
    private IEnumerable<string> Gathered()
    {
        using var live = Open(_bench.Target);
        return
        [
            .. live.List()
                .Where(e => e.Name.StartsWith(Found, StringComparison.Ordinal))
                .Select(e =>
                    Below(_bench.Machine.Describe(_bench.Target with { Path = _bench.Target.Path + "/" + e.Name }))
                ),
        ];
    }

    /// <summary>
    /// What stands below a folder, without the folder itself; files with several names numbered in the order of the
    /// lines that stay.
    /// </summary>
    private static string Below(string described, string except = "|")
    {
        Dictionary<string, int> shared = [];
        var lines = described
            .Split('\n')
            .Where(l => !l.StartsWith('|') && !l.StartsWith(except, StringComparison.Ordinal))
            .Order(StringComparer.Ordinal);
        return FileNumber()
            .Replace(string.Join('\n', lines), m =>
                shared.TryAdd(m.Value, shared.Count) ? $" {shared.Count - 1}|" : $" {shared[m.Value]}|"
            );
    }

    [GeneratedRegex(@" \d+\|")]
    private static partial Regex FileNumber();

    private SimulatedFolder Open(Place place)
    {
        using var root = new SimulatedFolder(_bench.Disk, _bench.Disk.Root(place.Volume), "");
        return (SimulatedFolder)Reach.Folder(root, place.Parts);
    }

    private static void Write(IFolder folder, string name, ReadOnlySpan<byte> content)
    {
        using var file = folder.MakeFile(name);
        file.Append(content.ToArray());
        file.Apply(
            file.Facts() with
            {
                Mode = 0x1A4,
                Owner = 1001,
                Group = 1001,
                ModifiedNs = 1_700_000_000_000_000_000,
            },
            Attributes.None
        );
    }

    private void Flush()
    {
        _bench.Disk.FlushVolume("system");
        _bench.Disk.FlushVolume("data");
    }
}
