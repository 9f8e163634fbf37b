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
        var keys = Keys(
            root,
            "the card",
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
            "pointers"
        );
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

    private List<CardPointer> ReadPointers(YamlNode node)
    {
        if (node is not YamlSequenceNode { Children.Count: > 0 and <= MostPointers } list)
        {
            Error(
                node,
                "The card says of no setting where its data lives.",
                $"a list of 1 to {MostPointers} settings, each with `file`, `syntax` and `key`, with `link`, with "
                    + "`reads` and `writes`, with `registry` and `value`, with `preference` and `key`, or with `fixed`"
            );
            return [];
        }
        return [.. list.Select(ReadPointer)];
    }

    private CardPointer ReadPointer(YamlNode node)
    {
        var keys = Keys(
            node,
            "a setting",
            "file",
            "syntax",
            "key",
            "link",
            "fixed",
            "registry",
            "value",
            "preference",
            "reads",
            "writes",
            "clears",
            "wants",
            "adds"
        );
        if (Commands.FirstOrDefault(keys.ContainsKey) is not null)
            return ReadCommands(node, keys);
        if (keys.TryGetValue("registry", out var registry))
            return ReadRegistry(node, registry, keys);
        if (keys.TryGetValue("preference", out var preference))
            return ReadPreference(node, preference, keys);
        if (keys.TryGetValue("fixed", out var path))
            return ReadFixed(path, keys);
        if (keys.TryGetValue("link", out var link))
            return ReadLink(link, keys);
        var file = Need(node, keys, "file") is { } f ? ReadFile(f) : "";
        var syntax = Need(node, keys, "syntax") is { } s ? Text(s) : "";
        if (syntax.Length > 0 && !Syntaxes.Contains(syntax))
            Error(
                keys["syntax"],
                $"Files of the syntax `{syntax}` cannot be changed.{Near(syntax, Syntaxes)}",
                string.Join(", ", Syntaxes)
            );
        var key = Need(node, keys, "key") is { } k ? Text(k) : "";
        if (key.Split('/').Any(part => part.Length == 0))
            Error(
                keys.GetValueOrDefault("key") ?? node,
                $"`{key}` has an empty part.",
                "names joined by '/', such as library/path; a '/' of a name is written ~1"
            );
        var (wants, adds) = ReadShape(node, keys);
        return new CardPointer(syntax, file, key, wants, adds);
    }

    private CardPointer ReadLink(YamlNode link, Dictionary<string, YamlNode> keys)
    {
        RefuseKeys(keys, "A link", "`link:` alone, or `file`, `syntax` and `key`", "file", "syntax", "key");
        var (wants, adds) = ReadShape(link, keys);
        return new CardPointer(CardPointer.Link, ReadFile(link), "", wants, adds);
    }

    private CardPointer ReadRegistry(YamlNode node, YamlNode path, Dictionary<string, YamlNode> keys)
    {
        RefuseKeys(
            keys,
            "A value of the registry",
            "`registry:` with the key's path and `value:`",
            "file",
            "syntax",
            "key",
            "link",
            "fixed"
        );
        var key = Text(path);
        if (
            key.Split('\\').Any(p => p.Trim().Length == 0) || key.StartsWith("HKEY", StringComparison.OrdinalIgnoreCase)
        )
            Error(
                path,
                $"`{key}` is not a path below an account's part of the registry.",
                "names joined by backslashes, without the root's"
            );
        if (_shared)
            Error(path, "A card reads values of accounts only.", "`of: account`");
        var (wants, adds) = ReadShape(node, keys);
        return new CardPointer(
            CardPointer.Registry,
            key,
            Need(node, keys, "value") is { } v ? Text(v) : "",
            wants,
            adds
        );
    }

    private CardPointer ReadPreference(YamlNode node, YamlNode name, Dictionary<string, YamlNode> keys)
    {
        RefuseKeys(
            keys,
            "A preference",
            "`preference:` with the program's domain and `key:`",
            "file",
            "syntax",
            "link",
            "fixed",
            "value"
        );
        var domain = Text(name);
        if (!DomainPattern().IsMatch(domain))
            Error(
                name,
                $"`{domain}` is not a domain of a program's preferences.",
                "names joined by dots, without a path"
            );
        if (_shared)
            Error(name, "A card reads preferences of accounts only.", "`of: account`");
        var (wants, adds) = ReadShape(node, keys);
        return new CardPointer(
            CardPointer.Preference,
            domain,
            Need(node, keys, "key") is { } key ? Text(key) : "",
            wants,
            adds
        );
    }

    private CardPointer ReadFixed(YamlNode path, Dictionary<string, YamlNode> keys)
    {
        RefuseKeys(keys, "A fixed path", "`fixed:` alone", "file", "syntax", "key", "link", "wants", "adds");
        return new CardPointer(CardPointer.Link, ReadFile(path), "", PointerShape.Folder, null) { InPlace = true };
    }

    private CardPointer ReadCommands(YamlNode node, Dictionary<string, YamlNode> keys)
    {
        RefuseKeys(
            keys,
            "A setting that commands keep",
            "`reads`, `writes` and, where the program can, `clears`",
            "file",
            "syntax",
            "key",
            "link",
            "fixed"
        );
        foreach (var key in Commands.SkipLast(1))
            Need(node, keys, key);
        List<string> Command(string key)
        {
            var command = List(keys, key);
            if (command.Count > 0)
                RequireWholePath(keys[key], command);
            return command;
        }
        var commands = new SettingCommands(Command("reads"), Command("writes"), Command("clears"));
        if (
            commands.Writes.Count > 0
            && commands.Writes.Skip(1).Count(a => a.Contains(SettingCommands.Value, StringComparison.Ordinal)) != 1
        )
            Error(
                keys["writes"],
                $"The command does not say once where the new value goes.",
                $"one argument with `{SettingCommands.Value}`"
            );
        var (wants, adds) = ReadShape(node, keys);
        return new CardPointer(
            CardPointer.Command,
            commands.Reads.FirstOrDefault(""),
            string.Join(' ', commands.Reads.Skip(1)),
            wants,
            adds
        )
        {
            Commands = commands,
        };
    }

    private void RequireWholePath(YamlNode node, IReadOnlyList<string> command)
    {
        if (!command[0].StartsWith('/'))
            Error(
                node,
                $"`{command[0]}` may be another program in every account.",
                "the command's whole path, then its arguments, each an element of its own"
            );
    }

    private void RefuseKeys(Dictionary<string, YamlNode> keys, string what, string expected, params string[] refused)
    {
        foreach (var key in refused)
            if (keys.TryGetValue(key, out var node))
                Error(node, $"{what} has no `{key}`.", expected);
    }

    private (PointerShape, string?) ReadShape(YamlNode node, Dictionary<string, YamlNode> keys)
    {
        var wants = keys.TryGetValue("wants", out var w)
            ? OneOf<PointerShape>(w, Text(w)) ?? PointerShape.Folder
            : PointerShape.Folder;
        var adds = keys.TryGetValue("adds", out var a) ? Text(a) : null;
        if (wants == PointerShape.Parent && adds is null)
            Error(
                node,
                "A setting that needs the parent folder does not say what the program adds.",
                "`adds:` with the folder name that the program adds"
            );
        if (wants == PointerShape.Folder && adds is not null)
            Error(keys["adds"], "A setting that needs the folder itself adds no name.", "`wants: parent`");
        if (adds is "." or ".." || adds?.Contains('/') == true)
            Error(keys["adds"], $"`{adds}` is not a folder name.", "one name");
        return (wants, adds);
    }

    private string ReadFile(YamlNode node)
    {
        var file = Text(node);
        var begins = _shared ? SharedSettings : "{home}/";
        if (!file.StartsWith(begins, StringComparison.Ordinal))
            Error(
                node,
                $"`{file}` lies in {(_shared ? "no place for settings of a machine" : "nobody's home")}.",
                $"a path that begins with {begins}"
            );
        else if (!IsPlain(file[1..]))
            Error(node, $"`{file}` has a part that is empty, `.` or `..`.", "plain names");
        RequireVariables(node, file);
        return file;
    }

    private void RequireVariables(YamlNode node, string file)
    {
        foreach (var variable in Template.Parse(file).Names)
            if (!Variables.Contains(variable))
                Error(
                    node,
                    $"`{{{variable}}}` is not a variable.{Near(variable, Variables)}",
                    string.Join(", ", Variables.Select(v => "{" + v + "}"))
                );
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
