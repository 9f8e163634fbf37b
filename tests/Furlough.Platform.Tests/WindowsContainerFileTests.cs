using System.Text;
using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Platform.Windows;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Settings files on a system that cannot exchange two files in one operation, tried on the simulated disk.
/// </summary>
public sealed class WindowsContainerFileTests
{
    private const string Name = "settings";

    [Theory]
    [InlineData("a=1", "a=2")]
    [InlineData(null, "a=2")]
    [InlineData("a=1", null)]
    public void After_a_crash_at_any_operation_the_file_reads_as_before_or_as_after_I6(string? before, string? after)
    {
        for (var at = 1; ; at++)
        {
            var (disk, folder) = Made(before);
            disk.CrashAt = disk.Operations + at;
            var ended = false;
            try
            {
                Edit(folder, after);
                ended = true;
            }
            catch (CrashException) { }
            disk.Crash(new Random(at));
            Content(folder).ShouldBeOneOf(before, after);
            if (ended)
                Content(folder).ShouldBe(after);
            Edit(folder, "a=3");
            Content(folder).ShouldBe("a=3");
            folder.List().Select(e => e.Name).ShouldBe([Name]);
            if (!ended)
                continue;
            at.ShouldBeGreaterThan(5);
            return;
        }
    }

    [Fact]
    public void What_somebody_else_saves_meanwhile_is_never_lost_I6()
    {
        for (var at = 1; ; at++)
        {
            var (disk, folder) = Made("a=1");
            var operations = 0;
            disk.Meanwhile = () =>
            {
                if (++operations != at)
                    return;
                if (folder.Find(Name) is not null)
                    folder.RemoveFile(Name);
                Write(folder, "a=1 b=2");
            };
            WindowsContainerFile.Edit(folder, Name, content =>
                Encoding.UTF8.GetBytes(
                    Encoding.UTF8.GetString(content!).Replace("a=1", "a=2", StringComparison.Ordinal)
                )
            );
            var saved = operations >= at;
            disk.Meanwhile = () => { };
            Content(folder).ShouldBeOneOf(saved ? ["a=2 b=2", "a=1 b=2"] : ["a=2"]);
            foreach (var (name, _) in folder.List().Where(e => e.Name != Name))
                name.ShouldBe(Name + ".furlough-kept");
            if (saved)
                continue;
            at.ShouldBeGreaterThan(10);
            return;
        }
    }

    [Fact]
    public void A_file_that_somebody_made_anew_while_there_was_none_stands_and_the_former_one_is_kept_I7()
    {
        var (_, folder) = Enumerable.Range(1, 100).Select(DiedAfter).First(made => made.Folder.Find(Name) is null);
        Write(folder, "defaults");
        Content(folder).ShouldBe("defaults");
        folder.Move(Name, folder, "theirs");
        folder.Move(Name + ".furlough-kept", folder, Name);
        Content(folder).ShouldBe("a=1 b=2");

        // The process ended, and the machine went on.
        static (SimulatedDisk Disk, SimulatedFolder Folder) DiedAfter(int operations)
        {
            var made = Made("a=1 b=2");
            made.Disk.CrashAt = made.Disk.Operations + operations;
            try
            {
                Edit(made.Folder, "a=2");
            }
            catch (CrashException) { }
            made.Disk.CrashAt = 0;
            return made;
        }
    }

    private static (SimulatedDisk Disk, SimulatedFolder Folder) Made(string? content)
    {
        var disk = new SimulatedDisk();
        var folder = new SimulatedFolder(disk, disk.Root("system"), "");
        if (content is not null)
            Write(folder, content);
        folder.Flush();
        return (disk, folder);
    }

    private static void Write(IFolder folder, string content)
    {
        using var file = folder.MakeFile(Name);
        file.Append(Encoding.UTF8.GetBytes(content));
        file.Flush();
    }

    private static void Edit(IFolder folder, string? next) =>
        WindowsContainerFile.Edit(folder, Name, _ => next is null ? null : Encoding.UTF8.GetBytes(next));

    private static string? Content(IFolder folder) =>
        WindowsContainerFile.Read(folder, Name) is { } content ? Encoding.UTF8.GetString(content) : null;
}
