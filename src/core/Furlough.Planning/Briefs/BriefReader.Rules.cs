using System.Globalization;
using System.Text.RegularExpressions;
using Furlough.Model;
using Furlough.Planning.DeskNotices;
using YamlDotNet.RepresentationModel;

namespace Furlough.Planning.Briefs;

/// <summary>How it is done: reserve, hours, speed, telling, waves and where a run halts.</summary>
public sealed partial class BriefReader
{
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

    [GeneratedRegex(@"^(?:(?<n>\d{1,5}) machines?|(?<s>\d{1,3})% of machines|the rest)$")]
    private static partial Regex WavePattern();

    [GeneratedRegex(@"^(\d{1,6}(?:\.\d+)?) ?(MB|GB)/s$")]
    private static partial Regex SpeedPattern();

    [GeneratedRegex(@"^(\d{1,5}) ?(failures?|(?<=^[1-9]\d?|^100)% of relocations)$")]
    private static partial Regex HaltPattern();

    [GeneratedRegex("^[a-z][a-z0-9-]{0,39}$")]
    private static partial Regex PersonalName();
}
