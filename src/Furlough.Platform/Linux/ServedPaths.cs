using System.Text.RegularExpressions;
using System.Xml;
using System.Xml.Linq;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// What the configuration of a system names by its path: shares, exports, folders of media, data of servers, units.
/// After a relocation it would name a folder that is gone. Read once for a whole survey; nothing is followed that leads
/// out of <c>/etc</c>, but for the units that are enabled.
/// </summary>
internal sealed partial class ServedPaths
{
    private const long MostBytes = 256 << 10;
    private const int MostFiles = 20_000;

    /// <summary>
    /// Where accounts and their homes are listed, which is not a service, and what is larger than anything written
    /// manually.
    /// </summary>
    private static readonly string[] NotRead =
    [
        "/etc/passwd",
        "/etc/passwd-",
        "/etc/shadow",
        "/etc/shadow-",
        "/etc/subuid",
        "/etc/subgid",
        "/etc/ld.so.cache",
        "/etc/mailcap",
        "/etc/services",
    ];
    private static readonly string[] NotReadBelow =
    [
        "/etc/ssl/",
        "/etc/ca-certificates/",
        "/etc/alternatives/",
        "/etc/apparmor.d/",
        "/etc/skel/",
        "/etc/console-setup/",
        "/etc/java",
    ];

    /// <summary>Path named, by what; whether what lies below it is served too.</summary>
    private readonly List<(string Path, string By, bool WithAll)> _named = [];

    private ServedPaths() { }

    /// <summary>Nothing names anything.</summary>
    internal static ServedPaths Nothing { get; } = new();

    /// <summary>Reads the configuration of a system.</summary>
    internal static ServedPaths Read(string root)
    {
        var served = new ServedPaths();
        foreach (var (file, shown) in Files(root))
        {
            string text;
            try
            {
                text = File.ReadAllText(file);
            }
            catch (Exception unread) when (unread is IOException or UnauthorizedAccessException)
            {
                continue;
            }
            if (!text.Contains('/') || text.Contains('\0'))
                continue;
            served.ReadFile(shown, text);
        }
        return served;
    }

    /// <summary>
    /// What names a folder by its path, something in it, or a folder around it that is served with everything in it.
    /// </summary>
    /// <param name="own">Settings files that are changed together with the folder.</param>
    internal IReadOnlyList<string> Of(string path, IReadOnlyCollection<string> own) =>
        [
            .. _named
                .Where(n =>
                    !own.Any(file => n.By == Named(file))
                    && (
                        n.Path == path
                        || n.Path.StartsWith(path + "/", StringComparison.Ordinal)
                        || n.WithAll && path.StartsWith(n.Path.TrimEnd('/') + "/", StringComparison.Ordinal)
                    )
                )
                .Select(n => n.By)
                .Distinct()
                .Order(StringComparer.Ordinal)
                .Take(HoldingFacts.MostEntries),
        ];

    /// <summary>Where the sync client of Debian keeps an account's settings, below its home.</summary>
    internal static readonly string[] SyncSettings = [".config/syncthing", ".local/state/syncthing"];

    /// <summary>The name of the sync client, and of its settings file.</summary>
    internal const string SyncClient = "Syncthing",
        SyncFile = "config.xml";

    /// <summary>The folders that the sync client keeps, by its settings.</summary>
    internal static IReadOnlyList<string> SyncFolders(byte[] settings, string home)
    {
        try
        {
            using var reader = XmlReader.Create(
                new MemoryStream(settings),
                new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null }
            );
            return
            [
                .. XDocument
                    .Load(reader)
                    .Root?.Elements("folder")
                    .Select(f => f.Attribute("path")?.Value ?? "")
                    .Where(p => p.Length > 0)
                    .Select(p =>
                        (p == "~" || p.StartsWith("~/", StringComparison.Ordinal) ? home + p[1..] : p).TrimEnd('/')
                    )
                    .Where(p => p.StartsWith('/'))
                    ?? [],
            ];
        }
        catch (XmlException)
        {
            return [];
        }
    }

    private void ReadFile(string shown, string text)
    {
        var section = "";
        foreach (var line in text.Split('\n').Select(l => l.Trim()))
        {
            if (line.Length == 0 || line[0] is '#' or ';')
                continue;
            if (line is ['[', .., ']'])
                section = line[1..^1];
            if (shown.StartsWith("/etc/samba/", StringComparison.Ordinal) && Value(line, "path") is { } share)
            {
                // Variables stand for every account's own folder: nobody's in particular.
                if (!share.Contains('%'))
                    Add(share, $"the Samba share `{section}` (`{shown}`)", true);
            }
            else if (shown == "/etc/exports" || shown.StartsWith("/etc/exports.d/", StringComparison.Ordinal))
                Add(ExportOf(line), $"an NFS export (`{shown}`)", true);
            else if (shown == "/etc/minidlna.conf" && Value(line, "media_dir") is { } media)
                Add(media[(media.LastIndexOf(',') + 1)..], $"the media server (`{shown}`)", true);
            else
                foreach (Match path in Paths().Matches(line))
                    Add(path.Value, Named(shown), false);
        }
    }

    private static string ExportOf(string line) =>
        Exported().Match(line) is { Success: true } export
            ? (export.Groups[1].Value + export.Groups[2].Value).Replace("\\040", " ", StringComparison.Ordinal)
            : "";

    /// <summary>A file of which nothing is known but that it names a path.</summary>
    private static string Named(string file) => $"`{file}`";

    private void Add(string path, string by, bool withAll)
    {
        var plain = path.Trim().Trim('"').TrimEnd('/');
        // What names a folder of the whole system says nothing about a person's.
        if (plain.StartsWith('/') && plain.Count(c => c == '/') > 1)
            _named.Add((plain, by, withAll));
    }

    private static string? Value(string line, string key) =>
        line.IndexOf('=', StringComparison.Ordinal) is var at and > 0
        && string.Equals(line[..at].Trim(), key, StringComparison.OrdinalIgnoreCase)
            ? line[(at + 1)..].Trim()
            : null;

    private static IEnumerable<(string File, string Shown)> Files(string root)
    {
        var all = new EnumerationOptions
        {
            RecurseSubdirectories = true,
            IgnoreInaccessible = true,
            AttributesToSkip = FileAttributes.None,
        };
        if (!Directory.Exists(root + "/etc"))
            yield break;
        foreach (var file in new DirectoryInfo(root + "/etc").EnumerateFiles("*", all).Take(MostFiles))
        {
            var shown = file.FullName[root.Length..];
            if (file.LinkTarget is { } leads)
            {
                // An enabled unit of a package: a link to where packages keep theirs.
                if (
                    shown.StartsWith("/etc/systemd/", StringComparison.Ordinal)
                    && PackagedUnit().IsMatch(leads)
                    && new FileInfo(root + leads) is { Exists: true, Length: <= MostBytes }
                )
                    yield return (root + leads, leads);
            }
            // What has no length may be a pipe, on which reading would wait for ever.
            else if (
                file.Length is > 0 and <= MostBytes
                && !NotRead.Contains(shown)
                && !NotReadBelow.Any(b => shown.StartsWith(b, StringComparison.Ordinal))
            )
                yield return (file.FullName, shown);
        }
    }

    [GeneratedRegex("""^(?:"([^"]+)"|(/\S+))""")]
    private static partial Regex Exported();

    [GeneratedRegex("""(?<![\w.~$}:/-])/[^\s"'<>,;:=|&(){}\[\]]+""")]
    private static partial Regex Paths();

    [GeneratedRegex(@"^(/usr)?/lib/systemd/system/[^/]+$")]
    private static partial Regex PackagedUnit();
}
