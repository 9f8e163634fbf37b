using Furlough.Engine;
using Furlough.Engine.Ports;

namespace Furlough.Platform.Surveys;

/// <summary>Where something stands on a volume, three folders deep, two thousand places at most.</summary>
internal static class TakenPlaces
{
    private const int DeepestLevel = 3,
        Most = 2_000;

    /// <summary>What systems themselves keep in the root of a volume.</summary>
    private static readonly string[] OfSystems = ["lost+found", "System Volume Information", "$RECYCLE.BIN"];

    internal static IReadOnlyList<string> Of(IVolume volume)
    {
        List<string> taken = [];
        using var root = volume.OpenRoot();
        Below(root, "", 1, taken);
        return taken;
    }

    private static void Below(IFolder at, string path, int level, List<string> taken)
    {
        foreach (var entry in at.List().OrderBy(e => e.Name, StringComparer.Ordinal))
        {
            if (
                taken.Count >= Most
                || (path.Length == 0 && OfSystems.Contains(entry.Name))
                || entry.Name.StartsWith(Layout.Prefix, StringComparison.Ordinal)
            )
                continue;
            var name = PathText.Escape(path.Length == 0 ? entry.Name : path + "/" + entry.Name);
            try
            {
                if (entry.Kind != NodeKind.Folder)
                {
                    taken.Add(name);
                    continue;
                }
                using var below = at.OpenFolder(entry.Name);
                if (below.List().Any(e => !e.Name.StartsWith(Layout.Prefix, StringComparison.Ordinal)))
                    taken.Add(name);
                if (level < DeepestLevel)
                    Below(below, name, level + 1, taken);
            }
            catch (IoFault)
            {
                taken.Add(name);
            }
        }
    }
}
