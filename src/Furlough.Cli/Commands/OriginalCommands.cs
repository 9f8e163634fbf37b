using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;

namespace Furlough.Cli.Commands;

/// <summary>`furlough original`.</summary>
internal static class OriginalCommands
{
    internal static Command Make()
    {
        var list = new Command("list", "List originals that wait for being discarded");
        list.Calls(async (client, json, stop) =>
        {
            var originals = await client.OriginalsAsync(stop);
            if (json) Terminal.Json(originals);
            else
                Terminal.Table([">relocation", "machine", "holding", "former place", ">files", ">data", "set aside", "kept until", ""], originals.Select(o => (string[])
                    [$"{o.Relocation}", o.Machine, $"{HoldingName.InWords(o.Holding, o.Account)}", o.Place, $"{o.Files:N0}", Words.Size(o.DataBytes), $"{o.SetAside:yyyy-MM-dd}", $"{o.KeptUntil:yyyy-MM-dd}", o.WrittenTo ? "written to" : o.Recreated is not null ? "source recreated" : o.Eligible ? "may be discarded" : ""]));
            return ExitCode.Done;
        });
        return new Command("original", "The data at the former place, kept untouched until discarded")
        {
            list, RelocationCommands.Act("Numbers of the relocations whose originals are removed", "discard", "Remove originals for good, after checking everything again"),
        };
    }
}
