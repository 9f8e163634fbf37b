using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;

namespace Furlough.Cli.Commands;

/// <summary>`furlough history`.</summary>
internal static class HistoryCommands
{
    internal static Command Make()
    {
        var about = new Option<string?>("--about")
        {
            Description = "Only entries that contain this text: a name, `run 2`, `relocation 190`",
        };
        var list = new Command("list", "List the history, the latest entries first; at most 500")
        {
            about,
            Lists.Before,
        };
        list.Calls(
            async (client, parsed, stop) =>
            {
                var entries = await client.HistoryAsync(parsed.GetValue(Lists.Before), parsed.GetValue(about), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(entries);
                else
                    Terminal.Table(
                        [">no.", "when", "who", "what", "of", "from", "to", "detail"],
                        entries.Select(e =>
                            (string[])
                                [
                                    $"{e.Number}",
                                    $"{e.At:u}",
                                    e.By,
                                    e.Event.InWords(),
                                    e.Subject.InWords(),
                                    e.From ?? "",
                                    e.To ?? "",
                                    e.Detail ?? "",
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return new Command("history", "Show who did what, and when") { list };
    }
}
