using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>Apps that are whole in a folder of their own, below the folder that is meant for such.</summary>
internal static class LinuxApps
{
    /// <summary>Where they are.</summary>
    internal const string Folder = "/opt";

    private const string PackageLists = "/var/lib/dpkg/info";

    /// <summary>The link that stands in an app's place when it lives elsewhere.</summary>
    internal static PointerAddress Address(string name) =>
        new(LinkPointers.Kind, $"{Folder}/{name}", "", "") { InPlace = true };

    /// <summary>The apps of a system, and why one cannot be moved.</summary>
    internal static IReadOnlyList<(string Name, string? Immovable)> In(LinuxVolumes volumes)
    {
        using var folder = volumes.TryOpenFolder(Folder);
        List<string> names =
        [
            .. (folder?.List() ?? [])
                .Where(e =>
                    e.Kind is NodeKind.Folder or NodeKind.Link
                    && !e.Name.StartsWith(Layout.Prefix, StringComparison.Ordinal)
                )
                .Select(e => e.Name)
                .Order(StringComparer.Ordinal),
        ];
        if (names.Count == 0)
            return [];
        var packages = PackagesOf(volumes.Root, names);
        return
        [
            .. names.Select(n =>
                (
                    n,
                    packages.GetValueOrDefault(n) is { } package
                        ? $"it belongs to the system's package {package}, whose next update would put it back"
                        : null
                )
            ),
        ];
    }

    /// <summary>The package that each app's folder belongs to, by the package manager's own lists of files.</summary>
    private static Dictionary<string, string> PackagesOf(string root, List<string> names)
    {
        Dictionary<string, string> found = [];
        if (!Directory.Exists(root + PackageLists))
            return found;
        var folders = names.ToDictionary(n => $"{Folder}/{n}", StringComparer.Ordinal);
        foreach (var list in Directory.EnumerateFiles(root + PackageLists, "*.list"))
        foreach (var line in File.ReadLines(list).Where(l => l.StartsWith(Folder + "/", StringComparison.Ordinal)))
            if (folders.TryGetValue(line, out var name))
                found.TryAdd(name, Path.GetFileNameWithoutExtension(list).Split(':')[0]);
        return found;
    }
}
