using Furlough.Model;
using Furlough.Planning.Briefs;
using YamlDotNet.RepresentationModel;

namespace Furlough.Planning.Kinds;

/// <summary>The settings that a card names.</summary>
public sealed partial class KindCardReader
{
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
}
