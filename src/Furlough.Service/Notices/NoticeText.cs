using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Notices;

/// <summary>What a notice says of an entry of the history.</summary>
internal static class NoticeText
{
    private const int MostFindings = 5;

    /// <summary>The event that an entry tells of; null for none.</summary>
    internal static NoticeEvent? EventOf(HistoryRow entry) =>
        entry.Action switch
        {
            "run proposed" => NoticeEvent.RunProposed,
            "wave begun" => NoticeEvent.WaveDone,
            "run halted" => NoticeEvent.RunHalted,
            "run ended" => NoticeEvent.RunEnded,
            "errand raised" => NoticeEvent.ErrandRaised,
            "audit made" when entry.To != "0 findings" => NoticeEvent.Findings,
            "account kept out" => NoticeEvent.AccountKeptOut,
            _ => null,
        };

    /// <summary>The line above and the text.</summary>
    /// <param name="console">Address of the console.</param>
    internal static async Task<(string Subject, string Text)> OfAsync(
        FurloughDb db,
        NoticeEvent what,
        HistoryRow entry,
        Uri console,
        CancellationToken stop
    )
    {
        var number = long.TryParse(entry.Subject.Split(' ')[^1], out var n) ? n : 0;
        switch (what)
        {
            case NoticeEvent.ErrandRaised:
                var errand = await db.Errands.FirstAsync(e => e.Number == number, stop);
                var machine = (await db.Machines.FindAsync([errand.Machine], stop))!;
                return (
                    $"Errand {number}: {errand.Kind.Word()} on {machine.Name}",
                    $"{errand.Text}\n\nUntil {errand.Due.UtcDateTime:yyyy-MM-dd HH:mm}Z: {new Uri(console, "/errands")}"
                );
            case NoticeEvent.AccountKeptOut:
                return (
                    $"{entry.Subject} cannot sign in on {entry.By}",
                    $"Furlough keeps {entry.Subject} from signing in on {entry.By}, and no relocation under way needs that{(entry.To is null ? "" : $": {entry.To}")}.\n\n`furlough-agent let-in {entry.Subject}` at the machine lets the person in. {console}"
                );
            case NoticeEvent.Findings:
                var findings = Column.Read(
                    (await db.Audits.FirstAsync(a => a.Number == number, stop)).Findings,
                    ModelJson.Default.IReadOnlyListFinding
                );
                var more = findings.Count > MostFindings ? $"\nand {findings.Count - MostFindings} more" : "";
                return (
                    $"Audit {number}: {Words.Count(findings.Count, "finding")}",
                    $"{string.Join('\n', findings.Take(MostFindings).Select(f => $"{f.Severity.Word()}: {f.Text}"))}{more}\n\n{new Uri(console, $"/audits/{number}")}"
                );
            default:
                var run = await db.Runs.FirstAsync(r => r.Number == number, stop);
                var states = await db
                    .Relocations.Where(r => r.Run == number)
                    .GroupBy(r => r.State)
                    .Select(g => new { g.Key, Count = g.Count() })
                    .ToListAsync(stop);
                var happened = what switch
                {
                    NoticeEvent.RunProposed => $"was proposed by {run.StartedBy} and wants a second person's approval",
                    NoticeEvent.WaveDone => $"has a wave done; {entry.To} begins",
                    NoticeEvent.RunHalted => $"was halted by {entry.By}: {entry.To}",
                    _ => "has ended",
                };
                return (
                    $"Run {number} {happened}",
                    $"{run.Title}: {string.Join(", ", states.OrderBy(s => s.Key).Select(s => $"{s.Count} {s.Key.Word()}"))}.\n\n{new Uri(console, $"/runs/{number}")}"
                );
        }
    }
}
