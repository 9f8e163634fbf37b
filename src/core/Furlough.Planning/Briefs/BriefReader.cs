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
                said[name.Value!] = ReadFolderPart(words);
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

    private string ReadFolderPart(YamlNode words)
    {
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
        return text;
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
            roles[key.Value!] = ReadRole(key, value);
        }
        return roles;
    }

    private VolumeRole ReadRole(YamlScalarNode key, YamlNode value)
    {
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
        return new VolumeRole(key.Value!, attached, ReadBool(facts, "system"), ReadPersonal(facts, "label"), prefer)
        {
            Identity = ReadPersonal(facts, "identity"),
            Media = [.. List(facts, "medium").Select(m => OneOf<Medium>(facts["medium"], m)).OfType<Medium>()],
            Encrypted = ReadBool(facts, "encrypted"),
            FreeAtLeast = facts.TryGetValue("free-at-least", out var free) ? ReadAmount(free) : null,
            Line = (int)key.Start.Line,
        };
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

    [GeneratedRegex(@"^(\d{1,4}) (second|minute|hour|day|week)s?$")]
    private static partial Regex DurationPattern();
}
