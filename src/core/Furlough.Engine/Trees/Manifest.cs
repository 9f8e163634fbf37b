using System.Globalization;
using System.Text;
using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>
/// One node as it was copied: what the copy must equal, and by what a later change of the source is recognised.
/// </summary>
/// <param name="Path">Path below the tree's root; empty for the root itself.</param>
/// <param name="Digest">Of a file's content.</param>
/// <param name="AttributesDigest">Of its extended attributes.</param>
/// <param name="Link">A symbolic link's target, or for a further name of a file (a hard link) the path of its
/// first.</param>
public sealed record ManifestEntry(string Path, NodeFacts Facts, UInt128 Digest, UInt128 AttributesDigest, string? Link)
{
    /// <summary>Its content was read back before and has not been written since. Not written down.</summary>
    public bool IsProven { get; init; }

    /// <summary>
    /// Its content may have been written after it was read without any of its times showing that. Written down as a
    /// change time below zero.
    /// </summary>
    public bool IsDoubtful => Facts.ChangedNs < 0;

    /// <summary>The entry with the change time that its file had, in doubt or not.</summary>
    public ManifestEntry Doubted(bool doubtful) =>
        this with
        {
            Facts = Facts with { ChangedNs = doubtful ? -Math.Abs(Facts.ChangedNs) : Math.Abs(Facts.ChangedNs) },
        };

    /// <summary>A further name of a file whose first name stands earlier in the manifest.</summary>
    public bool IsHardLink => Facts.Kind == NodeKind.File && Link is not null;

    /// <summary>The entry as a line.</summary>
    public string ToLine()
    {
        var f = Facts;
        var kind = IsHardLink ? 'h' : KindLetter(f.Kind);
        var link = Link is null ? "" : PathText.Escape(Link);
        return string.Create(
            CultureInfo.InvariantCulture,
            $"{kind}\t{PathText.Escape(Path)}\t{f.SizeBytes}\t{f.ModifiedNs}\t{Convert.ToString(f.Mode, 8)}\t"
                + $"{f.Owner}\t{f.Group}\t{Digest:x}\t{AttributesDigest:x}\t{f.FileId}\t{f.ChangedNs}\t{link}\n"
        );
    }

    /// <summary>Reads a line back.</summary>
    /// <exception cref="FormatException">The line is torn or foreign.</exception>
    public static ManifestEntry Parse(string line)
    {
        const int fields = 12;
        Span<Range> at = stackalloc Range[fields + 1];
        var text = line.AsSpan();
        var found = text.Split(at, '\t');
        if (found != fields || text[at[0]].Length != 1)
            throw new FormatException($"A manifest line has {found} fields, not {fields}.");
        var inv = CultureInfo.InvariantCulture;
        var kind = text[at[0]][0];
        var facts = new NodeFacts(
            KindOf(kind),
            long.Parse(text[at[2]], inv),
            0,
            long.Parse(text[at[3]], inv),
            long.Parse(text[at[10]], inv),
            0,
            ulong.Parse(text[at[9]], inv),
            0,
            Octal(text[at[4]]),
            uint.Parse(text[at[5]], inv),
            uint.Parse(text[at[6]], inv)
        );
        return new ManifestEntry(
            PathText.Unescape(text[at[1]].ToString()),
            facts,
            UInt128.Parse(text[at[7]], NumberStyles.HexNumber, inv),
            UInt128.Parse(text[at[8]], NumberStyles.HexNumber, inv),
            kind is 'l' or 'h' ? PathText.Unescape(text[at[11]].ToString()) : null
        );
    }

    private static uint Octal(ReadOnlySpan<char> digits)
    {
        var value = 0u;
        foreach (var digit in digits)
            value =
                digit is >= '0' and <= '7' && value < 1 << 28
                    ? value * 8 + digit - '0'
                    : throw new FormatException($"`{digits}` is not a mode.");
        return value;
    }

    private static char KindLetter(NodeKind kind) =>
        kind switch
        {
            NodeKind.File => 'f',
            NodeKind.Folder => 'd',
            NodeKind.Link => 'l',
            NodeKind.Fifo => 'p',
            _ => throw new InvalidOperationException($"A {kind} is never copied."),
        };

    private static NodeKind KindOf(char letter) =>
        letter switch
        {
            'f' or 'h' => NodeKind.File,
            'd' => NodeKind.Folder,
            'l' => NodeKind.Link,
            'p' => NodeKind.Fifo,
            _ => throw new FormatException($"'{letter}' is not a kind of node."),
        };
}

/// <summary>
/// A list of all copied nodes in walking order (<see cref="Walk"/>), one line each. It is written only after the nodes
/// are durable, so what it lists is there; a torn last line is passed over.
/// </summary>
public static class Manifest
{
    /// <summary>The line that ends a complete manifest.</summary>
    public const string EndMark = "end\n";

    /// <summary>The entries of a complete manifest in a folder.</summary>
    public static IEnumerable<ManifestEntry> ReadFrom(IFolder folder, string name = Layout.Manifest)
    {
        using var file = folder.OpenFile(name);
        using var stream = file.Read();
        foreach (var entry in Read(stream))
            yield return entry;
    }

    /// <summary>Entries up to the end mark or the first torn line.</summary>
    public static IEnumerable<ManifestEntry> Read(Stream stream)
    {
        using var reader = new StreamReader(stream, Encoding.UTF8, false, 1 << 16);
        while (reader.ReadLine() is { } line)
        {
            if (line == "end")
                yield break;
            ManifestEntry entry;
            try
            {
                entry = ManifestEntry.Parse(line);
            }
            catch (FormatException)
            {
                yield break;
            }
            yield return entry;
        }
    }

    /// <summary>Appends lines to a manifest file and makes them durable.</summary>
    public static void Append(IFileHandle file, IEnumerable<ManifestEntry> entries, bool end)
    {
        var text = new StringBuilder();
        foreach (var entry in entries)
        {
            text.Append(entry.ToLine());
            if (text.Length > 1 << 20)
                Out();
        }
        if (end)
            text.Append(EndMark);
        Out();
        file.Flush();

        void Out()
        {
            if (text.Length == 0)
                return;
            file.Append(Encoding.UTF8.GetBytes(text.ToString()));
            text.Clear();
        }
    }
}
