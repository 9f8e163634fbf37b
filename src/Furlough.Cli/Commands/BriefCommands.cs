using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Protocol;

namespace Furlough.Cli.Commands;

/// <summary>`furlough brief`.</summary>
internal static class BriefCommands
{
    internal static readonly Argument<string> File = new("brief") { Description = "File of the brief; - for standard input" };

    internal static Command Make()
    {
        var sample = new Command("sample", "Print a commented brief to start from");
        sample.SetAction(_ => Console.Out.Write(BriefSample.Text));
        var check = new Command("check", "Check a brief, and say what it means for this fleet") { File };
        check.Calls(async (client, parsed, stop) =>
        {
            var answer = await client.CheckBriefAsync(ReadText(parsed.GetValue(File)!), stop);
            if (parsed.GetValue(Connection.Json)) Terminal.Json(answer);
            else
            {
                Terminal.Line($"{answer.Title}: means {Words.Count(answer.Machines, "machine")} with {Words.Count(answer.Holdings, "holding")} of the named folders.");
                foreach (var missed in answer.Missed) Terminal.Line(missed);
            }
            return answer.Missed.Count > 0 ? ExitCode.DoneInPart : ExitCode.Done;
        });
        return new Command("brief", "What is to be relocated, as a file") { sample, check, SuggestCommand.Make() };
    }

    internal static string ReadText(string file)
    {
        try { return file == "-" ? Console.In.ReadToEnd() : System.IO.File.ReadAllText(file); }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new ServiceException(400, "brief-unread", $"The brief cannot be read: {error.Message}", "Give the file of a brief; `furlough brief sample` prints one.", null, null);
        }
    }
}
