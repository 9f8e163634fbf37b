using System.Globalization;
using System.Text.RegularExpressions;
using Furlough.Model;
using Furlough.Planning.DeskNotices;
using Furlough.Planning.Reading;
using YamlDotNet.RepresentationModel;

namespace Furlough.Planning.Briefs;

/// <summary>
/// Reads a brief strictly: every key and value must be known, and every error has its line and column.
/// </summary>
public sealed partial class BriefReader : StrictReader
{
    /// <summary>Largest brief in characters.</summary>
    public const int LimitCharacters = 256 * 1024;

    private static readonly string[] FolderNames =
    [
        "Desktop",
        "Documents",
        "Downloads",
        "Music",
        "Pictures",
        "Videos",
        "Templates",
        "Public",
        "Contacts",
        "Favourites",
        "Links",
        "Searches",
        "Saved games",
    ];
    private const int LongestName = 100,
        MostPutOffs = 5;
    private static readonly TimeSpan LongestBefore = TimeSpan.FromHours(2);
    private static readonly Telling UsualTelling = new(TimeSpan.FromMinutes(10), 2, "en");
    private static readonly string[] Usual = ["account", "folder", "kind", "machine", "room", "tag", "volume", "year"];

    private readonly TimeZoneInfo _zone;

    /// <summary>What paths may use: the usual ones, and what the brief says of people.</summary>
    private string[] _variables = Usual;

    private BriefReader(TimeZoneInfo zone) => _zone = zone;

    /// <summary>Reads a brief.</summary>
    /// <param name="zone">What times without a zone mean in its allowed hours; left out: the zone of this
    /// machine.</param>
    /// <exception cref="BriefException">Something is wrong with it; all errors are listed.</exception>
    public static Brief Read(string text, TimeZoneInfo? zone = null)
    {
        var reader = new BriefReader(zone ?? TimeZoneInfo.Local);
        var brief = reader.Root(text, LimitCharacters, "brief", "`furlough-brief: 1`") is { } root
            ? reader.ReadBrief(root, text)
            : null;
        return reader.Errors.Count == 0 ? brief! : throw new BriefException(reader.Errors);
    }

    private Brief? ReadBrief(YamlMappingNode root, string text)
    {
        var keys = Keys(
            root,
            "the brief",
            "furlough-brief",
            "title",
            "machines",
            "volumes",
            "relocate",
            "keep-original",
            "reserve",
            "waves",
            "halt-after",
            "work",
            "hours",
            "backup-within",
            "errands-within",
            "people",
            "approval",
            "at-once"
        );
        if (Need(root, keys, "furlough-brief") is { } version && Text(version) != "1")
            Error(version, $"Version {Text(version)} of briefs is not known.", "1");
        var title = Need(root, keys, "title") is { } t ? Text(t) : "";
        var machines = Need(root, keys, "machines") is { } m ? ReadMachines(m) : null;
        var people = keys.TryGetValue("people", out var who) ? ReadPeople(who) : [];
        var volumes = Need(root, keys, "volumes") is { } v ? ReadVolumes(v) : [];
        var items = Need(root, keys, "relocate") is { } r ? ReadItems(r, volumes) : [];
        var keep = keys.TryGetValue("keep-original", out var k) ? ReadDuration(k) : TimeSpan.FromDays(7);
        var (system, others) = keys.TryGetValue("reserve", out var reserve)
            ? ReadReserve(reserve)
            : (ReserveAmount.None, ReserveAmount.None);
        var waves = keys.TryGetValue("waves", out var w) ? ReadWaves(w) : [new WaveRule("everybody", null, null)];
        var (halt, share) = keys.TryGetValue("halt-after", out var h) ? ReadHalt(h) : (null, null);
        var approval =
            keys.TryGetValue("approval", out var a)
            && Text(a) switch
            {
                "second-person" => true,
                "none" => false,
                var other => Error<bool>(a, $"`{other}` approves nothing.", "none or second-person"),
            };
        var atOnce = keys.TryGetValue("at-once", out var once) ? ReadAtOnce(once) : AtOnce.All;
        var work = keys.TryGetValue("work", out var rules) ? ReadWork(rules) : WorkRules.Usual;
        var hours = keys.TryGetValue("hours", out var calendar) ? ReadHours(calendar) : null;
        var backup = keys.TryGetValue("backup-within", out var within) ? ReadDuration(within) : Brief.UsualBackupWithin;
        var errands = keys.TryGetValue("errands-within", out var due) ? ReadDuration(due) : Brief.UsualErrandsWithin;
        return Errors.Count > 0
            ? null
            : new Brief(title, machines!, volumes, items, keep, system, others, waves, halt, work, text)
            {
                SaysReserve = keys.ContainsKey("reserve"),
                Hours = hours,
                BackupWithin = backup,
                ErrandsWithin = errands,
                People = people,
                HaltAfterShare = share,
                WantsApproval = approval,
                AtOnce = atOnce,
            };
    }

    private MachineChoice ReadMachines(YamlNode node)
    {
        if (node is YamlScalarNode { Value: "all" })
            return new MachineChoice([], [], []);
        var keys = Keys(
            node,
            "machines",
            "rooms",
            "tags",
            "names",
            "except",
            "systems",
            "system-free-below",
            "second-volume"
        );
        return new MachineChoice(List(keys, "rooms"), List(keys, "names"), List(keys, "except"))
        {
            Tags = List(keys, "tags"),
            Systems = List(keys, "systems"),
            SystemFreeBelow = keys.TryGetValue("system-free-below", out var below) ? ReadAmount(below) : null,
            SecondVolume = keys.TryGetValue("second-volume", out var second)
                ? OneOf<Attachment>(second, Text(second))
                : null,
        };
    }

    /// <summary>What is said of people, by account. Their names become variables of paths.</summary>
    private Dictionary<string, IReadOnlyDictionary<string, string>> ReadPeople(YamlNode node)
    {
        Dictionary<string, IReadOnlyDictionary<string, string>> people = [];
        foreach (var (account, value) in Pairs(node, "people"))
        {
            Dictionary<string, string> said = [];
            foreach (var (name, words) in Pairs(value, $"the line of {account.Value}"))
            {
                if (Usual.Contains(name.Value) || !PersonalName().IsMatch(name.Value!))
                    Error(
                        name,
                        $"`{name.Value}` cannot be said of people.",
                        "small letters, digits and hyphens, and none of " + string.Join(", ", Usual)
                    );
                var text = Text(words);
                if (
                    text != text.Trim()
                    || text is "." or ".."
                    || text.Length > LongestName
                    || text.StartsWith(".furlough", StringComparison.Ordinal)
                    || text.Any(c => c is '/' or '\\' or '{' or '}' or ':' || char.IsControl(c))
                )
                    Error(
                        words,
                        $"`{text}` cannot be part of a folder name.",
                        $"plain words of at most {LongestName} characters"
                    );
                said[name.Value!] = text;
            }
            people[account.Value!] = said;
        }
        _variables =
        [
            .. Usual,
            .. people.Values.SelectMany(p => p.Keys).Distinct().Except(Usual).Order(StringComparer.Ordinal),
        ];
        return people;
    }

    private Dictionary<string, VolumeRole> ReadVolumes(YamlNode node)
    {
        Dictionary<string, VolumeRole> roles = [];
        foreach (var (key, value) in Pairs(node, "volumes"))
        {
            if (LooksLikeLetter(key.Value!))
                Error(
                    key,
                    $"`{key.Value}` is a drive letter, and letters differ from machine to machine.",
                    "a role of your own, such as `roomy`, described by facts"
                );
            var facts = Keys(
                value,
                $"the role {key.Value}",
                "attached",
                "medium",
                "system",
                "encrypted",
                "label",
                "identity",
                "free-at-least",
                "prefer"
            );
            var attached = List(facts, "attached")
                .Select(a => OneOf<Attachment>(facts["attached"], a))
                .OfType<Attachment>()
                .ToList();
            var prefer = facts.TryGetValue("prefer", out var p)
                ? OneOf<Preference>(p, Text(p)) ?? Preference.Roomiest
                : Preference.Roomiest;
            roles[key.Value!] = new VolumeRole(
                key.Value!,
                attached,
                ReadBool(facts, "system"),
                ReadPersonal(facts, "label"),
                prefer
            )
            {
                Identity = ReadPersonal(facts, "identity"),
                Media = [.. List(facts, "medium").Select(m => OneOf<Medium>(facts["medium"], m)).OfType<Medium>()],
                Encrypted = ReadBool(facts, "encrypted"),
                FreeAtLeast = facts.TryGetValue("free-at-least", out var free) ? ReadAmount(free) : null,
                Line = (int)key.Start.Line,
            };
        }
        return roles;
    }

    /// <summary>A text that may have names which the brief says of people.</summary>
    private string? ReadPersonal(Dictionary<string, YamlNode> facts, string key)
    {
        if (!facts.TryGetValue(key, out var node))
            return null;
        List<string> personal = ["account", .. _variables.Except(Usual)];
        foreach (var variable in Template.Parse(Text(node)).Names)
            if (!personal.Contains(variable))
                Error(
                    node,
                    $"`{{{variable}}}` is not said of anybody.{Near(variable, personal)}",
                    $"{string.Join(", ", personal.Select(p => "{" + p + "}"))}; more of them under `people`"
                );
        return Text(node);
    }

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

    private string NotA(YamlNode node, string what) =>
        Text(node).Length > 0 && Text(node).All(char.IsAsciiDigit)
            ? $"`{Text(node)}` has no unit."
            : $"`{Text(node)}` is not {what}.";

    private TimeSpan ReadDuration(YamlNode node)
    {
        var match = DurationPattern().Match(Text(node));
        if (!match.Success || !double.TryParse(match.Groups[1].Value, CultureInfo.InvariantCulture, out var n))
            return Error<TimeSpan>(
                node,
                NotA(node, "a length of time"),
                "a number with seconds, minutes, hours, days or weeks, such as `7 days`"
            );
        return match.Groups[2].Value switch
        {
            "second" => TimeSpan.FromSeconds(n),
            "minute" => TimeSpan.FromMinutes(n),
            "hour" => TimeSpan.FromHours(n),
            "day" => TimeSpan.FromDays(n),
            _ => TimeSpan.FromDays(7 * n),
        };
    }

    private (ReserveAmount System, ReserveAmount Others) ReadReserve(YamlNode node)
    {
        var keys = Keys(node, "reserve", "system", "others");
        return (Amount("system"), Amount("others"));

        ReserveAmount Amount(string key)
        {
            if (!keys.TryGetValue(key, out var value))
                return ReserveAmount.None;
            return ReadAmount(value) is { Share: > 0.9 }
                ? Error(value, $"A reserve of {Text(value)} leaves no room.", "at most 90%", ReserveAmount.None)
                : ReadAmount(value);
        }
    }

    private ReserveAmount ReadAmount(YamlNode node) =>
        ReserveAmount.Find(Text(node))
        ?? Error(
            node,
            NotA(node, "an amount of space"),
            "a share such as `20%` or a size such as `50 GB`",
            ReserveAmount.None
        );

    private long? ReadSize(Dictionary<string, YamlNode> keys, string key) =>
        !keys.TryGetValue(key, out var node)
            ? null
            : ReserveAmount.Find(Text(node))?.AmountBytes
                ?? Error<long?>(node, NotA(node, "a size"), "a size such as `5 GB`");

    private bool? ReadBool(Dictionary<string, YamlNode> keys, string key) =>
        !keys.TryGetValue(key, out var node)
            ? null
            : Text(node) switch
            {
                "true" => true,
                "false" => false,
                var other => Error<bool?>(node, $"`{other}` is neither yes nor no.", "true or false"),
            };

    private AllowedHours? ReadHours(YamlNode node)
    {
        const string expected =
            "an iCalendar file's text as a block after `hours: |`, with one event for each stretch of hours; the "
            + "command line puts it there for `hours: FILE.ics`";
        if (node is not YamlScalarNode { Value: { Length: > 0 } text })
            return Error<AllowedHours?>(node, "This is not a calendar.", expected);
        if (text.EndsWith(".ics", StringComparison.OrdinalIgnoreCase) && !text.Contains('\n'))
            return Error<AllowedHours?>(node, $"The file `{text}` is not known here.", expected);
        try
        {
            return AllowedHours.Read(text, _zone);
        }
        catch (FormatException wrong)
        {
            return Error<AllowedHours?>(node, wrong.Message, expected);
        }
    }

    private AtOnce ReadAtOnce(YamlNode node)
    {
        var keys = Keys(node, "at-once", "machines", "per-room", "per-volume");
        return new AtOnce(Number("machines"), Number("per-room"), Number("per-volume"));

        int? Number(string key) =>
            !keys.TryGetValue(key, out var value) ? null
            : int.TryParse(Text(value), NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number > 0
                ? number
            : Error<int?>(value, $"`{Text(value)}` is not a number of machines.", "a whole number from 1 on");
    }

    private WorkRules ReadWork(YamlNode node)
    {
        var keys = Keys(node, "work", "speed", "priority", "files-in-use", "tell-people");
        var inUse = keys.TryGetValue("files-in-use", out var files) ? Keys(files, "files-in-use", "wait", "then") : [];
        return new WorkRules(
            keys.TryGetValue("speed", out var speed) ? ReadSpeed(speed) : null,
            keys.TryGetValue("priority", out var priority)
                && Text(priority) switch
                {
                    "low" => true,
                    "normal" => false,
                    var other => Error<bool>(priority, $"`{other}` is not a priority.", "low or normal"),
                },
            inUse.TryGetValue("wait", out var wait) ? ReadDuration(wait) : WorkRules.Usual.FilesInUseWait,
            inUse.TryGetValue("then", out var then)
                ? Text(then) switch
                {
                    "keep-waiting" => true,
                    "fail" => false,
                    var other => Error<bool?>(then, $"`{other}` does not say what follows.", "keep-waiting or fail"),
                }
                : null
        )
        {
            Telling = keys.TryGetValue("tell-people", out var tell) ? ReadTelling(tell) : null,
        };
    }

    private Telling ReadTelling(YamlNode node)
    {
        var keys = Keys(node, "tell-people", "before", "put-off", "language");
        var before = keys.TryGetValue("before", out var at) ? ReadDuration(at) : UsualTelling.Before;
        if (at is not null && (before < TimeSpan.FromMinutes(1) || before > LongestBefore))
            Error(at, $"`{Text(at)}` is too short or too long.", $"one minute to {LongestBefore.TotalHours:0} hours");
        return new Telling(
            before,
            keys.TryGetValue("put-off", out var putOff)
                ? int.TryParse(Text(putOff), NumberStyles.None, CultureInfo.InvariantCulture, out var times)
                && times <= MostPutOffs
                    ? times
                    : Error<int>(putOff, $"`{Text(putOff)}` is not a number of times.", $"0 to {MostPutOffs}")
                : UsualTelling.PutOffs,
            keys.TryGetValue("language", out var language)
                ? DeskLanguage.Find(Text(language))?.Code
                    ?? Error<string>(
                        language,
                        $"Nothing is said in `{Text(language)}` yet.",
                        string.Join(" or ", DeskLanguage.All.Select(l => l.Code))
                    )
                    ?? ""
                : UsualTelling.Language
        );
    }

    private long? ReadSpeed(YamlNode node)
    {
        var match = SpeedPattern().Match(Text(node));
        return match.Success
            ? (long)(
                double.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture)
                * (match.Groups[2].Value == "GB" ? 1e9 : 1e6)
            )
            : Error<long?>(node, $"`{Text(node)}` is not a speed.", "a limit such as `40 MB/s`");
    }

    private List<WaveRule> ReadWaves(YamlNode node)
    {
        List<WaveRule> waves = [];
        foreach (var (key, value) in Pairs(node, "waves"))
        {
            if (waves is [.., { Machines: null, Share: null }])
                Error(key, "No machines are left after `the rest`.", "`the rest` as the last wave");
            var match = WavePattern().Match(Text(value));
            if (!match.Success)
                Error(
                    value,
                    $"`{Text(value)}` is not a size of a wave.",
                    "`2 machines`, `25% of machines` or `the rest`"
                );
            else if (match.Groups["n"].Success)
                waves.Add(
                    new WaveRule(key.Value!, int.Parse(match.Groups["n"].Value, CultureInfo.InvariantCulture), null)
                );
            else if (match.Groups["s"].Success)
                waves.Add(
                    new WaveRule(
                        key.Value!,
                        null,
                        double.Parse(match.Groups["s"].Value, CultureInfo.InvariantCulture) / 100
                    )
                );
            else
                waves.Add(new WaveRule(key.Value!, null, null));
        }
        if (waves is not [.., { Machines: null, Share: null }])
            Error(node, "Some machines may be in no wave.", "`the rest` as the last wave");
        return waves;
    }

    private (int? Number, double? Share) ReadHalt(YamlNode node)
    {
        var match = HaltPattern().Match(Text(node));
        if (!match.Success)
            return Error<(int?, double?)>(
                node,
                $"`{Text(node)}` is not a limit.",
                "a number of failures, such as `3 failures`, or a share, such as `5% of relocations`"
            );
        var number = int.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture);
        return match.Groups[2].Value.StartsWith('%') ? (null, number / 100.0) : (number, null);
    }

    private static bool LooksLikeLetter(string role) =>
        role.TrimEnd('\\', '/') is [_, ':'] || (role.Length == 1 && char.IsAsciiLetterUpper(role[0]));

    [GeneratedRegex(@"^(\d{1,4}) (second|minute|hour|day|week)s?$")]
    private static partial Regex DurationPattern();

    [GeneratedRegex(@"^(?:(?<n>\d{1,5}) machines?|(?<s>\d{1,3})% of machines|the rest)$")]
    private static partial Regex WavePattern();

    [GeneratedRegex(@"^(\d{1,6}(?:\.\d+)?) ?(MB|GB)/s$")]
    private static partial Regex SpeedPattern();

    [GeneratedRegex(@"^(\d{1,5}) ?(failures?|(?<=^[1-9]\d?|^100)% of relocations)$")]
    private static partial Regex HaltPattern();

    [GeneratedRegex("^[a-z][a-z0-9-]{0,39}$")]
    private static partial Regex PersonalName();
}
