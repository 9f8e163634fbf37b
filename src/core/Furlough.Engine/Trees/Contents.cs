using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>How much a tree holds.</summary>
/// <param name="Files">Everything that is no folder.</param>
/// <param name="DataBytes">Bytes of data: each file once however many names it has, holes not counted.</param>
/// <param name="HiddenBytes">The part of it whose name or a folder above it begins with a dot.</param>
public readonly record struct Contents(long Files, long DataBytes, long HiddenBytes)
{
    /// <summary>Measures a tree; folders that cannot be opened are passed over and named in <paramref name="unread"/>.</summary>
    public static Contents Of(IFolder root, ICollection<string> unread, CancellationToken stop)
    {
        long files = 0, data = 0, hidden = 0;
        var counted = new HashSet<(ulong, ulong)>();
        Below(root, "", false, 0);
        return new Contents(files, data, hidden);

        void Below(IFolder folder, string path, bool isHidden, int level)
        {
            foreach (var entry in folder.List())
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
                    if (entry.Kind != NodeKind.File || folder.Find(entry.Name) is not { } facts) continue;
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
