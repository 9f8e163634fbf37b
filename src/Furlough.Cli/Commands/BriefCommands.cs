using System.CommandLine;
using System.Text.RegularExpressions;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Reading;
using Furlough.Protocol;

namespace Furlough.Cli.Commands;

/// <summary>`furlough brief`.</summary>
internal static partial class BriefCommands
{
    internal static readonly Argument<string> File = new("brief")
    {
        Description = "File of the brief; - for standard input",
    };

    internal static Command Make() =>
        new Command("brief", "Write and check briefs: files that say what is to be relocated")
        {
            Sample(),
            CheckCommand(),
            SuggestCommand.Make(),
        };

    private static Command Sample()
    {
        var schema = new Option<bool>("--schema")
        {
            Description = "Print the JSON Schema of briefs instead, for editors",
        };
        var sample = new Command("sample", "Print a commented brief to start from") { schema };
        sample.SetAction(parsed =>
            Terminal.Output.Write(parsed.GetValue(schema) ? BriefSample.Schema : BriefSample.Text)
        );
        return sample;
    }

    private static Command CheckCommand()
    {
        var check = new Command("check", "Check a brief and show which machines and holdings it matches") { File };
        check.Calls(
            async (client, parsed, stop) =>
            {
                var answer = await client.CheckBriefAsync(ReadText(parsed.GetValue(File)!), stop);
                if (answer.Errors.Count > 0)
                {
                    var wrong = new BriefException([
                        .. answer.Errors.Select(e => new TextError(e.Line, e.Column, e.Message, e.Expected)),
                    ]);
                    throw new ServiceException(
                        400,
                        "brief-wrong",
                        wrong.Summary,
                        BriefException.Remedy,
                        wrong.Place,
                        [.. wrong.Errors.Select(e => e.ToString())]
                    );
                }
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(answer);
                else
                {
                    Terminal.Line(
                        $"{answer.Title}: matches {Words.Count(answer.Machines, "machine")} with "
                            + $"{Words.Count(answer.Holdings, "holding")} to relocate."
                    );
                    Terminal.Line();
                    Terminal.Table(
                        [">line", "what", ">machines", ">holdings", ">data", "misses"],
                        answer.Lines.Select(l =>
                            (string[])
                                [
                                    l.Line == 0 ? "" : $"{l.Line}",
                                    l.What,
                                    $"{l.Machines}",
                                    l.Holdings == 0 && l.What.StartsWith("volume", StringComparison.Ordinal)
                                        ? ""
                                        : $"{l.Holdings}",
                                    l.DataBytes == 0 ? "" : Words.Size(l.DataBytes),
                                    string.Join(" ", l.Missed),
                                ]
                        )
                    );
                }
                return answer.Missed.Count > 0 ? ExitCode.DoneInPart : ExitCode.Done;
            }
        );
        return check;
    }

    /// <summary>A brief as it is sent: with the calendar of its allowed hours in it.</summary>
    internal static string ReadText(string file)
    {
        var text = InputText.Read(file, "brief", "furlough brief sample");
        try
        {
            return HoursFile().Match(text) is not { Success: true } named
                ? text
                : WithHours(
                    text,
                    named,
                    Path.Combine(
                        file == "-" ? "." : Path.GetDirectoryName(Path.GetFullPath(file))!,
                        named.Groups[1].Value
                    )
                );
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new ServiceException(
                400,
                "hours-unread",
                $"The calendar of the brief's hours cannot be read: {error.Message}",
                "Put it beside the brief.",
                null,
                null
            );
        }
    }

    /// <summary>The calendar comes last, so that errors keep the lines of the file.</summary>
    private static string WithHours(string text, Match named, string calendar)
    {
        if (new FileInfo(calendar).Length > 4L * AllowedHours.LimitCharacters)
            throw new ServiceException(
                400,
                "hours-too-large",
                $"The calendar `{calendar}` is larger than {AllowedHours.LimitCharacters} characters.",
                "Leave out events that are over.",
                null,
                null
            );
        var block = System
            .IO.File.ReadAllText(calendar)
            .ReplaceLineEndings("\n")
            .TrimEnd('\n')
            .Replace("\n", "\n  ", StringComparison.Ordinal);
        return $"{text[..named.Index]}# {named.Value}{text[(named.Index + named.Length)..].TrimEnd()}\nhours: |\n  {block}\n";
    }

    [GeneratedRegex(@"^hours: *(\S[^\n\r|>]*\.ics)", RegexOptions.Multiline | RegexOptions.IgnoreCase)]
    private static partial Regex HoursFile();
}
