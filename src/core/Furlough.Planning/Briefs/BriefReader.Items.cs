using System.Globalization;
using Furlough.Model;
using YamlDotNet.RepresentationModel;

namespace Furlough.Planning.Briefs;

/// <summary>What is relocated: the items of a brief.</summary>
public sealed partial class BriefReader
{
    private List<RelocateItem> ReadItems(YamlNode node, Dictionary<string, VolumeRole> roles)
    {
        if (node is not YamlSequenceNode { Children.Count: > 0 } list)
        {
            Error(
                node,
                "Nothing is to be relocated.",
                "a list of items, each with `folders`, `libraries`, `homes`, `apps` or `install-paths`, with `onto` and `path`"
            );
            return [];
        }
        List<RelocateItem> items = [];
        foreach (var item in list)
        {
            var keys = Keys(
                item,
                "an item of `relocate`",
                "folders",
                "libraries",
                "homes",
                "apps",
                "install-paths",
                "accounts",
                "on",
                "at-least",
                "at-most",
                "onto",
                "path",
                "method",
                "existing",
                "leave",
                "keep-original",
                "attended",
                "beforehand",
                "afterwards"
            );
            var named = ReadNames(item, keys);
            var accounts = keys.TryGetValue("accounts", out var a) ? ReadAccounts(a) : new AccountChoice([], true);
            var onto = Need(item, keys, "onto") is { } o ? ReadRole(o, roles) : "";
            var path = Need(item, keys, "path") is { } p ? ReadPath(p) : Template.Parse("");
            var method = keys.TryGetValue("method", out var m) ? OneOf<Method>(m, Text(m)) : null;
            var adopts =
                keys.TryGetValue("existing", out var e)
                && Text(e) switch
                {
                    "adopt" => true,
                    "refuse" => false,
                    var other => Error<bool>(
                        e,
                        $"`{other}` does not say what to do with what is at the target already.",
                        "adopt or refuse"
                    ),
                };
            var link =
                keys.TryGetValue("leave", out var l)
                && Text(l) switch
                {
                    "link" => true,
                    "nothing" => false,
                    var other => Error<bool>(l, $"`{other}` cannot stay at the former place.", "nothing or link"),
                };
            if (method == Method.Setting)
                Error(
                    m!,
                    "`setting` is the method of install paths and is chosen automatically.",
                    "cold, warm, exchange or repoint-only"
                );
            if (method == Method.RepointOnly && (adopts || link || named.Keys.Any(k => !MayStay(k))))
                Error(
                    m!,
                    "`repoint-only` leaves the data where it is, so it goes with folders and libraries only, and "
                        + "neither with `existing: adopt` nor with `leave: link`.",
                    "`folders` or `libraries`, and no `existing` or `leave`"
                );
            if (method == Method.Adopt)
                Error(
                    m!,
                    "`adopt` is not a method to ask for: it is taken where the data is at the target already.",
                    "`existing: adopt`"
                );
            items.Add(
                new RelocateItem(named, accounts, onto, path, method, adopts, List(keys, "on"))
                {
                    AtLeastBytes = ReadSize(keys, "at-least"),
                    AtMostBytes = ReadSize(keys, "at-most"),
                    LeavesLink = link,
                    Attended = ReadBool(keys, "attended") ?? false,
                    Beforehand = ReadErrands(keys, "beforehand", Errands.Before),
                    Afterwards = ReadErrands(keys, "afterwards", Errands.After),
                    Keep = keys.TryGetValue("keep-original", out var keep) ? ReadDuration(keep) : null,
                    Line = (int)item.Start.Line,
                }
            );
        }
        return items;
    }

    private static bool MayStay(HoldingKind kind) => kind is HoldingKind.Folder or HoldingKind.Library;

    private List<ErrandKind> ReadErrands(
        Dictionary<string, YamlNode> keys,
        string key,
        IReadOnlyList<ErrandKind> allowed
    )
    {
        if (!keys.TryGetValue(key, out var node))
            return [];
        var words = allowed.Select(k => k.Word()).ToList();
        List<ErrandKind> kinds = [];
        foreach (var word in Strings(node))
        {
            if (words.IndexOf(word) is var at and >= 0)
                kinds.Add(allowed[at]);
            else
                Error(node, $"`{word}` is nothing that people do {key}.{Near(word, words)}", string.Join(", ", words));
        }
        return [.. kinds.Distinct()];
    }

    /// <summary>
    /// What an item means. Data and install paths do not go into one item: of these only settings change.
    /// </summary>
    private Dictionary<HoldingKind, IReadOnlyList<string>> ReadNames(YamlNode item, Dictionary<string, YamlNode> keys)
    {
        Dictionary<HoldingKind, IReadOnlyList<string>> named = [];
        if (keys.TryGetValue("folders", out var folders))
            named[HoldingKind.Folder] = Folders(folders);
        if (keys.ContainsKey("libraries"))
            named[HoldingKind.Library] = List(keys, "libraries");
        if (keys.ContainsKey("apps"))
            named[HoldingKind.App] = List(keys, "apps");
        if (keys.ContainsKey("install-paths"))
            named[HoldingKind.InstallPath] = List(keys, "install-paths");
        if (keys.TryGetValue("homes", out var homes))
        {
            named[HoldingKind.Home] = [HoldingName.WholeHome];
            if (Text(homes) != "whole")
                Error(
                    homes,
                    $"`{Text(homes)}` is not part of a home.",
                    "`whole`; parts of homes are `folders` and `libraries`"
                );
            foreach (var other in ((string[])["folders", "libraries"]).Where(keys.ContainsKey))
                Error(keys[other], $"A whole home takes its {other} with it.", "an item of its own for homes");
        }
        if (named.Count == 0)
            Error(item, "The item names nothing.", "`folders:`, `libraries:`, `homes:`, `apps:` or `install-paths:`");
        if (named.ContainsKey(HoldingKind.InstallPath))
            foreach (
                var other in (
                    (string[])
                        [
                            "folders",
                            "libraries",
                            "homes",
                            "apps",
                            "at-least",
                            "at-most",
                            "method",
                            "existing",
                            "leave",
                            "keep-original",
                        ]
                ).Where(keys.ContainsKey)
            )
                Error(
                    keys[other],
                    $"`{other}` is for data, and of install paths only the settings change.",
                    "an item of its own for install paths, with `accounts`, `on`, `onto`, `path`, `attended`, `beforehand` and `afterwards`"
                );
        return named;
    }

    private List<string> Folders(YamlNode node)
    {
        var names = Strings(node);
        foreach (var name in names.Where(n => !FolderNames.Contains(n)))
            Error(node, $"`{name}` is not a user folder.{Near(name, FolderNames)}", string.Join(", ", FolderNames));
        return names;
    }

    private AccountChoice ReadAccounts(YamlNode node) =>
        node switch
        {
            YamlScalarNode { Value: "all" } => new AccountChoice([], false),
            YamlScalarNode { Value: "all-but-fallback" } => new AccountChoice([], true),
            YamlSequenceNode => new AccountChoice(Strings(node), false),
            _ => Error(
                node,
                $"`{Text(node)}` chooses no accounts.",
                "all, all-but-fallback, or a list of names",
                new AccountChoice([], true)
            ),
        };

    private string ReadRole(YamlNode node, Dictionary<string, VolumeRole> roles)
    {
        var role = Text(node);
        if (LooksLikeLetter(role))
            Error(
                node,
                $"`{role}` is a drive letter, and letters differ from machine to machine.",
                "a role from `volumes`"
            );
        else if (!roles.ContainsKey(role))
            Error(
                node,
                $"The role `{role}` is not described under `volumes`.{Near(role, roles.Keys)}",
                roles.Count == 0 ? "a role" : string.Join(" or ", roles.Keys)
            );
        return role;
    }

    private Template ReadPath(YamlNode node)
    {
        var path = Text(node);
        var parts = path.Split('/');
        if (path.StartsWith('/') || path.Contains('\\') || (path.Length > 1 && path[1] == ':'))
            Error(
                node,
                $"`{path}` is not a path below a volume.",
                "parts separated by '/', without a leading one, such as People/{account}/{folder}"
            );
        else if (parts.Any(p => p.Trim() is "" or "." or ".."))
            Error(node, $"`{path}` has a part that is empty, `.` or `..`.", "plain folder names");
        else if (parts.Any(p => p.StartsWith(".furlough", StringComparison.Ordinal)))
            Error(node, $"`{path}` uses a name that Furlough keeps for itself.", "another folder name");
        var template = Template.Parse(path);
        foreach (var variable in template.Names)
            if (!_variables.Contains(variable))
                Error(
                    node,
                    $"`{{{variable}}}` is not a variable.{Near(variable, _variables)}",
                    $"{string.Join(", ", _variables.Select(v => "{" + v + "}"))}; more of them under `people`"
                );
        return template;
    }
}
