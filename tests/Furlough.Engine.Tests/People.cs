using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;

namespace Furlough.Engine.Tests;

/// <summary>
/// People who write, rename and remove below the source while an engine works, as long as they may be signed in.
/// </summary>
internal sealed class People(Bench bench, Random random)
{
    internal int Deeds { get; private set; }

    /// <summary>Does something, or mostly nothing.</summary>
    internal void Work()
    {
        if (!bench.Machine.SignInAllowed || random.Next(12) > 0)
            return;
        using var root = new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), "");
        var folder = Reach.TryFolder(root, Bench.Source.Parts);
        if (folder is null)
            return;
        while (
            random.Next(2) == 0 && folder.List().Where(e => e.Kind == NodeKind.Folder).ToList() is { Count: > 0 } below
        )
            folder = folder.OpenFolder(below[random.Next(below.Count)].Name);
        Deeds++;
        var entries = folder.List();
        var one = entries.Count == 0 ? default : entries[random.Next(entries.Count)];
        switch (random.Next(8))
        {
            case 0 or 1 when one.Kind == NodeKind.File && one.Name is not null:
                using (var file = folder.OpenFile(one.Name, append: true))
                    file.Append("more"u8);
                break;
            case 2 when one.Name is not null && one.Kind != NodeKind.Folder:
                folder.RemoveFile(one.Name);
                break;
            case 3 when one.Name is not null && folder.Find("renamed") is null:
                folder.Move(one.Name, folder, "renamed");
                break;
            case 4 when folder.Find("made") is null:
                folder.MakeFolder("made", 0x1ED).Dispose();
                break;
            case 6 or 7 when one.Kind == NodeKind.File && one.Name is not null:
                // Saved twice into memory: whatever else happens, the second time shows in no time.
                var node = ((SimulatedFolder)folder).Node.Entries[one.Name];
                var saved = new byte[Math.Max(1, node.Content.Length)];
                random.NextBytes(saved);
                bench.Disk.SaveMapped(node, saved);
                break;
            case 5 when folder.Find("new") is null:
                using (var file = folder.MakeFile("new"))
                    file.Append("new"u8);
                break;
        }
    }
}
