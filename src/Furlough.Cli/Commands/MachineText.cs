using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>What the command line says of one machine.</summary>
internal static class MachineText
{
    private const int MostNotes = 10;

    internal static int Show(MachineDetail detail, bool json)
    {
        if (json)
        {
            Terminal.Json(detail);
            return ExitCode.Done;
        }
        var m = detail.Machine;
        Terminal.Line(
            $"{m.Name}  {m.Room}{(m.Tag is null ? "" : $"  {m.Tag}")}  {m.Standing.Show()}  {m.OperatingSystem}  surveyed {m.SurveyedAt:u}"
        );
        if (
            m.Attention is { } attention
            && !detail.Holdings.Any(h => h.Relocation?.Failure is { } failure && failure.Text == attention)
        )
            Terminal.Line(attention);
        Terminal.Line();
        ShowVolumes(detail.Shelves);
        Terminal.Line(ShelfText.Legend);
        Terminal.Line();
        ShowHoldings(detail.Holdings);
        foreach (var drill in detail.Drills)
            Terminal.Line($"\ndrill with {drill.Volume}, for {drill.Account}: {Outcome(drill)}");
        foreach (var failure in detail.Holdings.Select(h => h.Relocation?.Failure).OfType<Failure>())
            Terminal.Line($"\n{failure.InFull()}");
        foreach (var note in detail.Notes.Take(MostNotes))
            Terminal.Line($"\nnote: {note}");
        if (detail.Notes.Count > MostNotes)
            Terminal.Line($"and {detail.Notes.Count - MostNotes} more notes: furlough machine show {m.Name} --json");
        foreach (var finding in detail.Findings)
            Terminal.Line($"\n{finding.Severity.Word()}: {finding.Text} {finding.Remedy}");
        return ExitCode.Done;
    }

    private static void ShowVolumes(IReadOnlyList<Shelf> shelves) =>
        Terminal.Table(
            ["volume", "", ">size", ">free", "kind", "label", "identity"],
            shelves.Select(s =>
                (string[])
                    [
                        s.Root,
                        ShelfText.Draw(ShelfSums.Of(s), 40),
                        Words.Size(s.SizeBytes),
                        Words.Size(s.FreeBytes),
                        $"{(s.System ? "system, " : "")}{s.Attached.Word()}, {s.FileSystem}",
                        s.Label,
                        s.Identity,
                    ]
            )
        );

    private static void ShowHoldings(IReadOnlyList<HoldingView> holdings) =>
        Terminal.Table(
            ["account", "holding", "lives at", ">files", ">data", "relocation"],
            holdings
                .OrderByDescending(h => h.DataBytes)
                .Select(h =>
                    (string[])
                        [
                            h.Account.Length == 0 ? "(machine)" : h.Account,
                            h.Holding,
                            (h.Place ?? "?")
                                + (
                                    h.Present ? ""
                                    : h.ToBeMade ? "  (not made yet)"
                                    : "  (missing)"
                                ),
                            h.Kind == HoldingKind.InstallPath ? "" : $"{h.Files:N0}",
                            h.Kind == HoldingKind.InstallPath ? "" : Words.Size(h.DataBytes),
                            h.Relocation is { } r ? $"{r.Number} {r.State.Word()}, live at {r.Live.Word()}"
                            : h.Immovable is { } why ? $"stays: {why}"
                            : "",
                        ]
                )
        );

    private static string Outcome(DrillView drill)
    {
        if (drill.EndedAt is not { } ended)
            return $"under way, errand {drill.Errand}";
        return drill.Failed is { } failed ? $"failed at {ended:u}, {failed}" : $"passed at {ended:u}";
    }
}
