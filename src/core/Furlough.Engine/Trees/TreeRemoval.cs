using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>Removes a tree relative to open handles, following no link (I8).</summary>
public static class TreeRemoval
{
    /// <summary>Removes the folder <paramref name="name"/> and everything below it. Repeating it finishes what was begun.</summary>
    public static void Run(IFolder parent, string name, CancellationToken stop, TreeCounter? counter = null)
    {
        if (parent.Find(name) is not { } facts) return;
        if (facts.Kind != NodeKind.Folder)
        {
            parent.RemoveFile(name);
            return;
        }
        using (var folder = parent.OpenFolder(name)) Empty(folder, 0);
        parent.RemoveFolder(name);

        void Empty(IFolder folder, int level)
        {
            if (level > Walk.DeepestLevel) throw Walk.TooDeep(name);
            foreach (var entry in folder.List())
            {
                stop.ThrowIfCancellationRequested();
                if (entry.Kind == NodeKind.Folder)
                {
                    using (var inner = folder.OpenFolder(entry.Name)) Empty(inner, level + 1);
                    folder.RemoveFolder(entry.Name);
                }
                else
                {
                    folder.RemoveFile(entry.Name);
                    counter?.FileDone();
                }
            }
        }
    }
}
