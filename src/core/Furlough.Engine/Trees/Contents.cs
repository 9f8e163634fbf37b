using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>How much a tree holds.</summary>
/// <param name="Files">Everything that is no folder.</param>
/// <param name="DataBytes">Bytes of data: each file once however many names it has, holes not counted.</param>
/// <param name="HiddenBytes">The part of it whose name or a folder above it begins with a dot.</param>
/// <param name="Demands">What it asks of the file system that stores it.</param>
public readonly record struct Contents(long Files, long DataBytes, long HiddenBytes, Demands Demands)
{
    /// <summary>Measures a tree; folders that cannot be opened are passed over and named in <paramref name="unread"/>.</summary>
    public static Contents Of(IFolder root, ICollection<string> unread, CancellationToken stop)
    {
        var demands = new DemandSurvey();
        long files = 0, data = 0, hidden = 0;
        var counted = new HashSet<(ulong, ulong)>();
        Below(root, "", false, 0);
        return new Contents(files, data, hidden, new Demands(demands.Found, demands.LargestFileBytes, demands.LongestPathBytes));

        void Below(IFolder folder, string path, bool isHidden, int level)
        {
            var entries = folder.List();
            demands.Folder(path, entries);
            foreach (var entry in entries)
            {
                stop.ThrowIfCancellationRequested();
                var hides = isHidden || entry.Name.StartsWith('.');
                try
                {
                    if (entry.Kind == NodeKind.Folder)
                    {
                        if (entry.Name.StartsWith(Layout.Prefix, StringComparison.Ordinal) || level > Walk.DeepestLevel) continue;
                        using var inner = folder.OpenFolder(entry.Name);
                        Below(inner, Walk.Join(path, entry.Name), hides, level + 1);
                        continue;
                    }
                    files++;
                    var found = entry.Kind == NodeKind.File ? folder.Find(entry.Name) : null;
                    demands.Node(Walk.Join(path, entry.Name), entry.Kind, found, folder.HasAttributes(entry.Name));
                    if (found is not { } facts) continue;
                    if (facts.Links > 1 && !counted.Add((facts.Device, facts.FileId))) continue;
                    var bytes = Math.Min(facts.SizeBytes, facts.AllocatedBytes);
                    data += bytes;
                    if (hides) hidden += bytes;
                }
                catch (IoFault fault)
                {
                    unread.Add($"`{PathText.Show(Walk.Join(path, entry.Name))}`: {fault.SystemWords}");
                }
            }
        }
    }
}
