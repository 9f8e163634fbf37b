using System.Text.RegularExpressions;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Reading;
using YamlDotNet.RepresentationModel;

namespace Furlough.Planning.Kinds;

/// <summary>A kind card that cannot be used.</summary>
public sealed class KindCardException(IReadOnlyList<TextError> errors)
    : Exception(string.Join(Environment.NewLine, errors))
{
    /// <summary>All errors found.</summary>
    public IReadOnlyList<TextError> Errors { get; } = errors;
}

/// <summary>Reads a kind card strictly.</summary>
public sealed partial class KindCardReader : StrictReader
{
    /// <summary>Largest card in characters.</summary>
    public const int LimitCharacters = 32 * 1024;

    /// <summary>Where settings of a whole machine may lie.</summary>
    private const string SharedSettings = "/etc/";

    /// <summary>What a card says that it holds when that is a folder which should be empty.</summary>
    public const string CommonFolder = "common-folder";

    // The system keeps no more of a process's name.
    private const int MostPointers = 20,
        MostProcessName = 15;
    private static readonly string[] Syntaxes =
    [
        "ini",
        "environment",
        "profile",
        "properties",
        "json",
        "xml",
        "toml",
        "yaml",
    ];
    private static readonly string[] Commands = ["reads", "writes", "clears"];
    private static readonly string[] Variables = ["home", "account"];
    private static readonly string[] CardKeys =
    [
        "furlough-kind",
        "name",
        "title",
        "systems",
        "holds",
        "of",
        "found-by",
        "usual",
        "lists",
        "closed",
        "says",
        "first-start",
        "launcher",
        "opens",
        "pointers",
    ];

    private bool _shared;

    private KindCardReader() { }

    /// <summary>A commented card to start from.</summary>
    public static string Sample { get; } = Embedded("kind-card-sample.yaml");

    /// <summary>Reads a card.</summary>
    /// <exception cref="KindCardException">Something is wrong with it; all errors are listed.</exception>
    public static KindCard Read(string text)
    {
        var reader = new KindCardReader();
        var card = reader.Root(text, LimitCharacters, "kind card", "`furlough-kind: 1`") is { } root
            ? reader.ReadCard(root)
            : null;
        return reader.Errors.Count == 0 ? card! : throw new KindCardException(reader.Errors);
    }

    private KindCard ReadCard(YamlMappingNode root)
    {
        var keys = Keys(root, "the card", CardKeys);
        if (Need(root, keys, "furlough-kind") is { } version && Text(version) != "1")
            Error(version, $"Version {Text(version)} of kind cards is not known.", "1");
        var name = Need(root, keys, "name") is { } n ? ReadName(n) : "";
        var title = Need(root, keys, "title") is { } t ? Text(t) : "";
        if (keys.TryGetValue("holds", out var h) && Text(h) == CommonFolder)
            return ReadCommonFolder(root, keys, name, title);
        var holds = ReadHolds(keys);
        _shared = ReadShared(keys, holds);
        var usual = keys.TryGetValue("usual", out var u) ? ReadPath(u) : null;
        if (holds == HoldingKind.InstallPath)
            RequireInstallPath(root, keys, usual);
        return new KindCard(
            name,
            title,
            List(keys, "systems"),
            Need(root, keys, "pointers") is { } p ? ReadPointers(p) : []
        )
        {
            Holds = holds,
            Shared = _shared,
            FoundBy = keys.TryGetValue("found-by", out var f) ? ReadPath(f) : null,
            Usual = usual,
            Lists = ReadLists(keys, holds),
            Program = ReadProgram(keys, usual),
        };
    }

    private HoldingKind ReadHolds(Dictionary<string, YamlNode> keys)
    {
        if (!keys.TryGetValue("holds", out var node))
            return HoldingKind.Library;
        var holds = OneOf<HoldingKind>(node, Text(node)) ?? HoldingKind.Library;
        if (holds is not (HoldingKind.Library or HoldingKind.InstallPath))
            Error(
                node,
                $"No card is for a holding of the kind {holds.Word()}.",
                "library, install-path or common-folder"
            );
        return holds;
    }

    private bool ReadShared(Dictionary<string, YamlNode> keys, HoldingKind holds)
    {
        var shared =
            keys.TryGetValue("of", out var of)
            && Text(of) switch
            {
                "machine" => true,
                "account" => false,
                var other => Error<bool>(of, $"`{other}` has no holdings.", "account or machine"),
            };
        if (shared && holds == HoldingKind.Library)
            RefuseKeys(
                keys,
                "What all accounts of a machine share",
                "`of: account`",
                "closed",
                "says",
                "first-start",
                "launcher",
                "opens"
            );
        return shared;
    }

    private void RequireInstallPath(YamlMappingNode root, Dictionary<string, YamlNode> keys, string? usual)
    {
        var fixedOnes = Need(root, keys, "pointers") is YamlSequenceNode settings
            ? settings.OfType<YamlMappingNode>().Where(m => m.Children.ContainsKey(new YamlScalarNode("fixed")))
            : [];
        foreach (var setting in fixedOnes)
            Error(
                setting,
                "Nothing moves of an install path, so no link can stand in its place.",
                "a setting, or `holds: library`"
            );
        if (usual is null)
            Error(
                root,
                "The card does not say where things go while its settings say nothing.",
                "`usual:` with a path"
            );
        RefuseKeys(keys, "An install path", "`holds: library`", "first-start", "launcher", "opens");
    }

    private string ReadLists(Dictionary<string, YamlNode> keys, HoldingKind holds)
    {
        var lists = keys.TryGetValue("lists", out var node) ? Text(node) : "";
        if (lists.Length > 0 && (holds == HoldingKind.Library || !IsPlain(lists)))
            Error(
                node!,
                $"`{lists}` is not a path below an install path.",
                "plain names joined by '/', in a card that holds an install path"
            );
        return lists;
    }

    private OwnProgram? ReadProgram(Dictionary<string, YamlNode> keys, string? usual)
    {
        var program = new OwnProgram(List(keys, "closed"), List(keys, "says"))
        {
            Launcher = keys.TryGetValue("launcher", out var entry) ? Text(entry) : null,
            Opens = List(keys, "opens"),
            FirstStart = List(keys, "first-start"),
        };
        if (program.Launcher is { } launcher && !LauncherPattern().IsMatch(launcher))
            Error(
                entry!,
                $"`{launcher}` is not a name of a launcher's entry.",
                "its file name, such as sketcher.desktop, without a path"
            );
        RequireOpens(keys, program);
        RequireFirstStart(keys, program, usual);
        foreach (var process in program.Closed.Where(n => n.Length > MostProcessName || n.Contains('/')))
            Error(
                keys["closed"],
                $"`{process}` is not a name of a process.",
                $"at most {MostProcessName} characters, without a path"
            );
        if (program.Says.Count > 0)
            RequireWholePath(keys["says"], program.Says);
        return program is { Closed.Count: 0, Says.Count: 0, FirstStart.Count: 0, Mends: false } ? null : program;
    }

    private void RequireOpens(Dictionary<string, YamlNode> keys, OwnProgram program)
    {
        if (program.Opens.Count == 0)
            return;
        RequireWholePath(keys["opens"], program.Opens);
        if (program.Opens.Skip(1).Count(a => a.Contains(OwnProgram.Library, StringComparison.Ordinal)) != 1)
            Error(
                keys["opens"],
                "The command does not say once where the library is.",
                $"one argument with `{OwnProgram.Library}`"
            );
    }

    private void RequireFirstStart(Dictionary<string, YamlNode> keys, OwnProgram program, string? usual)
    {
        if (program.FirstStart.Count == 0)
            return;
        RequireWholePath(keys["first-start"], program.FirstStart);
        if (usual is null || !keys.ContainsKey("found-by"))
            Error(
                keys["first-start"],
                "Where there is no library yet, nothing says whose program is there and where it makes one.",
                "`found-by:` and `usual:` with paths"
            );
    }

    private KindCard ReadCommonFolder(YamlNode root, Dictionary<string, YamlNode> keys, string name, string title)
    {
        RefuseKeys(
            keys,
            "A folder that should be empty",
            "`usual:` with its path, and `systems`",
            "of",
            "found-by",
            "lists",
            "closed",
            "says",
            "first-start",
            "launcher",
            "opens",
            "pointers"
        );
        _shared = true;
        return new KindCard(name, title, List(keys, "systems"), [])
        {
            IsCommonFolder = true,
            Shared = true,
            Usual = Need(root, keys, "usual") is { } path ? ReadPath(path) : null,
        };
    }

    /// <summary>A path on the machine, from its root or a home on.</summary>
    private string ReadPath(YamlNode node)
    {
        var path = Text(node);
        var below =
            path.StartsWith("{home}/", StringComparison.Ordinal) ? path["{home}/".Length..]
            : path.StartsWith('/') ? path[1..]
            : null;
        if (below is null || !IsPlain(below))
            Error(node, $"`{path}` is not a whole path.", "plain names joined by '/', from `/` or `{home}/` on");
        else if (_shared && path[0] != '/')
            Error(node, $"`{path}` lies in a home, and the machine has none.", "a path from `/` on");
        RequireVariables(node, path);
        return path;
    }

    private static bool IsPlain(string path) => path.Split('/').All(p => p.Trim() is not ("" or "." or ".."));

    private string ReadName(YamlNode node)
    {
        var name = Text(node);
        if (name is HoldingName.WholeHome or "programs" or "app-volume")
            Error(node, $"`{name}` is the name of something that the product knows itself.", "another name");
        if (!NamePattern().IsMatch(name))
            Error(
                node,
                $"`{name}` is not a name of a kind.",
                "2 to 40 small letters, digits and hyphens, beginning with a letter"
            );
        return name;
    }

    internal static string Embedded(string name)
    {
        using var reader = new StreamReader(typeof(KindCardReader).Assembly.GetManifestResourceStream(name)!);
        return reader.ReadToEnd();
    }

    [GeneratedRegex("^[a-z][a-z0-9-]{1,39}$")]
    private static partial Regex NamePattern();

    [GeneratedRegex(@"^[A-Za-z0-9][\w.-]*\.[a-z]+$")]
    private static partial Regex LauncherPattern();

    [GeneratedRegex(@"^[A-Za-z0-9][\w-]*(\.[\w-]+)*$")]
    private static partial Regex DomainPattern();
}
