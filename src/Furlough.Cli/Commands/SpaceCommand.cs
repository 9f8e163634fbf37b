using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough machine space`.</summary>
internal static class SpaceCommand
{
    private const int BarWidth = 20;

    /// <summary>Days after which nobody plans by such a figure.</summary>
    private const double Far = 1_000;

    private static readonly Argument<string?> Name = new("name")
    {
        Description = "Name of a machine; left out, all volumes are listed, those that fill up first at the top",
        Arity = ArgumentArity.ZeroOrOne,
    };

    internal static Command Make()
    {
        var space = new Command("space", "What takes the space, how it grows, and when a volume reaches its reserve")
        {
            Name,
        };
        space.Calls(
            async (client, parsed, stop) =>
                parsed.GetValue(Name) is { } name
                    ? One(await client.SpaceAsync(name, stop), parsed.GetValue(Connection.Json))
                    : All(
                        await client.SpaceAsync(stop),
                        await client.MachinesAsync(null, null, stop),
                        parsed.GetValue(Connection.Json)
                    )
        );
        return space;
    }

    private static int All(IReadOnlyList<VolumeSpace> volumes, IReadOnlyList<MachineSummary> machines, bool json)
    {
        if (json)
        {
            Terminal.Json(volumes);
            return ExitCode.Done;
        }
        Terminal.Table(
            ["machine", "room", "volume", ">size", ">free", ">reserve", ">grows a day", ">days left", "90 % between"],
            volumes.Select(v =>
                (string[])
                    [
                        v.Machine,
                        v.Room,
                        v.Root + (v.System ? " (system)" : ""),
                        Words.Size(v.SizeBytes),
                        Free(v),
                        v.ReserveBytes > 0 ? Words.Size(v.ReserveBytes) : "none",
                        v.Growth is { } g ? Words.Size((long)g.BytesPerDay) : "",
                        Days(v),
                        Range(v),
                    ]
            )
        );
        if (volumes.Any(v => v.Growth is null))
            Terminal.Line("\nWhere nothing is said of growth, the history is shorter than two days.");
        Terminal.Line($"\n{Basis.Of([.. machines.Select(m => (m.SurveyedAt, m.Standing == Standing.Silent))])}");
        return ExitCode.Done;
    }

    private static int One(MachineSpace space, bool json)
    {
        if (json)
        {
            Terminal.Json(space);
            return ExitCode.Done;
        }
        Terminal.Line($"{space.Machine}  {space.Room}");
        foreach (var volume in space.Volumes)
        {
            Terminal.Line();
            Terminal.Line(Sentence(volume));
            var used = Math.Max(1, volume.SizeBytes);
            Terminal.Table(
                ["account", "what", ">files", ">data", ">share", ""],
                space
                    .Shares.Where(s => s.Root == volume.Root)
                    .Select(s =>
                        (string[])
                            [
                                s.Account ?? "",
                                s.Style == "original" ? $"original of {s.Name}" : s.Name,
                                s.Files > 0 ? $"{s.Files:N0}" : "",
                                Words.Size(s.DataBytes),
                                $"{100.0 * s.DataBytes / used:0.0}%",
                                Bar((double)s.DataBytes / used, s.Style),
                            ]
                    )
            );
        }
        return ExitCode.Done;
    }

    private static string Sentence(VolumeSpace v)
    {
        var what =
            $"{v.Root}{(v.System ? " (system)" : "")} has {Words.Size(v.FreeBytes)} of {Words.Size(v.SizeBytes)} free";
        if (v.FreeBytes < v.ReserveBytes)
            return $"{what}, which is {Words.Size(v.ReserveBytes - v.FreeBytes)} below its reserve.";
        if (v.Growth is not { } growth)
            return $"{what}. Its history is too short to say how it grows.";
        var end = v.ReserveBytes > 0 ? "reaches its reserve" : "is full";
        return v.DaysLeft is { } days && days < Far
            ? $"{what}. In the last {growth.Days:0} days it filled up by {Words.Size((long)growth.BytesPerDay)} a "
                + $"day; so it {end} in about {days:0} days, with 90 % certainty between {Range(v)}."
            : $"{what}. In the last {growth.Days:0} days it hardly filled up.";
    }

    private static string Free(VolumeSpace v) =>
        v.SizeBytes == 0 ? "" : $"{Words.Size(v.FreeBytes)} ({100.0 * v.FreeBytes / v.SizeBytes:0}%)";

    private static string Days(VolumeSpace v) =>
        v switch
        {
            { DaysLeft: <= 0 } => "reached",
            { DaysLeft: { } days } => days >= Far ? "years" : $"{days:0}",
            { Growth: not null } => "hardly grows",
            _ => "",
        };

    private static string Range(VolumeSpace v) =>
        v is not { DaysLeft: > 0 and < Far, EarliestDaysLeft: { } early } ? ""
        : v.LatestDaysLeft is { } late && late < Far ? $"{early:0} and {late:0}"
        : $"{early:0} and never";

    private static string Bar(double share, string style) =>
        new(
            style switch
            {
                "original" => '▞',
                "other" => '▒',
                _ => '█',
            },
            (int)Math.Clamp(Math.Round(share * BarWidth), 0, BarWidth)
        );
}
