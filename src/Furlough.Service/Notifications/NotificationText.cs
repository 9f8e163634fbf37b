using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Notifications;

/// <summary>What a notification says of an entry of the history.</summary>
internal static class NotificationText
{
    private const int MostFindings = 5;

    /// <summary>The event that an entry tells of; null for none.</summary>
    internal static NotificationEvent? EventOf(HistoryRow entry) =>
        entry.Event switch
        {
            HistoryEvent.RunProposed => NotificationEvent.RunProposed,
            HistoryEvent.WaveBegun => NotificationEvent.WaveDone,
            HistoryEvent.RunHalted => NotificationEvent.RunHalted,
            HistoryEvent.RunEnded => NotificationEvent.RunEnded,
            HistoryEvent.ErrandRaised => NotificationEvent.ErrandRaised,
            HistoryEvent.AuditMade => NotificationEvent.Findings,
            HistoryEvent.AccountLockedOut => NotificationEvent.AccountKeptOut,
            HistoryEvent.ReportRefused => NotificationEvent.ReportRefused,
            HistoryEvent.CertificateEnding => NotificationEvent.CertificateEnding,
            HistoryEvent.BackupFailed => NotificationEvent.BackupFailed,
            HistoryEvent.ServiceReplaced => NotificationEvent.ServiceReplaced,
            _ => null,
        };

    /// <summary>The line above and the text.</summary>
    /// <param name="console">Address of the console.</param>
    /// <returns>Null where there is nothing to tell: an audit without findings.</returns>
    internal static async Task<(string Subject, string Text)?> OfAsync(
        FurloughDb db,
        NotificationEvent what,
        HistoryRow entry,
        Uri console,
        CancellationToken stop
    )
    {
        var number = entry.SubjectNumber ?? 0;
        return what switch
        {
            NotificationEvent.ErrandRaised => await OfErrandAsync(db, number, console, stop),
            NotificationEvent.AccountKeptOut => OfAccount(entry, console),
            NotificationEvent.Findings => await OfFindingsAsync(db, number, console, stop),
            NotificationEvent.ReportRefused => OfRefusedReport(entry, number, console),
            NotificationEvent.CertificateEnding => OfCertificate(entry, console),
            NotificationEvent.BackupFailed => OfBackup(entry, console),
            NotificationEvent.ServiceReplaced => OfReplacement(entry, console),
            _ => await OfRunAsync(db, what, entry, number, console, stop),
        };
    }

    private static async Task<(string, string)> OfErrandAsync(
        FurloughDb db,
        long number,
        Uri console,
        CancellationToken stop
    )
    {
        var errand = await db.Errands.FirstAsync(e => e.Number == number, stop);
        var machine = (await db.Machines.FindAsync([errand.Machine], stop))!;
        return (
            $"Errand {number}: {errand.Kind.Word()} on {machine.Name}",
            $"{errand.Text}\n\nUntil {errand.Due.UtcDateTime:yyyy-MM-dd HH:mm}Z: {new Uri(console, "/errands")}"
        );
    }

    private static (string, string) OfAccount(HistoryRow entry, Uri console)
    {
        var account = entry.SubjectName;
        var relocation = entry.Detail is null ? "" : $": {entry.Detail}";
        return (
            $"{account} cannot sign in on {entry.By}",
            $"Furlough keeps {account} from signing in on {entry.By}, and no relocation under way needs "
                + $"that{relocation}.\n\n`furlough-agent let-in {account}` at the machine lets the person in. {console}"
        );
    }

    private static async Task<(string, string)?> OfFindingsAsync(
        FurloughDb db,
        long number,
        Uri console,
        CancellationToken stop
    )
    {
        var findings = Column.Read(
            (await db.Audits.FirstAsync(a => a.Number == number, stop)).Findings,
            ModelJson.Default.IReadOnlyListFinding
        );
        if (findings.Count == 0)
            return null;
        var first = findings.Take(MostFindings).Select(f => $"{f.Severity.Word()}: {f.Text}");
        var more = findings.Count > MostFindings ? $"\nand {findings.Count - MostFindings} more" : "";
        return (
            $"Audit {number}: {Words.Count(findings.Count, "finding")}",
            $"{string.Join('\n', first)}{more}\n\n{new Uri(console, $"/audits/{number}")}"
        );
    }

    private static (string, string) OfRefusedReport(HistoryRow entry, long number, Uri console) =>
        (
            $"Report refused: relocation {number} on {entry.By}",
            $"{entry.By} reported relocation {number} as {entry.To}. It is {entry.From}, and "
                + $"{entry.Detail}. The report was not applied.\n\nThe machine may have been restored from an "
                + "image, or its agent may be faulty. Hold it with "
                + $"`furlough machine hold {entry.By} --reason TEXT`, then look at it: "
                + $"{new Uri(console, $"/machines/{entry.By}")}"
        );

    private static (string, string) OfCertificate(HistoryRow entry, Uri console) =>
        (
            "The certificate of the service ends soon",
            $"The certificate that Furlough shows: {entry.Detail}. From then on browsers and commands refuse it; agents go "
                + "on.\n\n`furlough certificate use CERT KEY` shows a new one of the office's, `furlough certificate renew` a "
                + $"new one of the service's own. {console}"
        );

    private static (string, string) OfBackup(HistoryRow entry, Uri console) =>
        (
            "The service could not back itself up",
            $"The backup failed at {entry.At.UtcDateTime:yyyy-MM-dd HH:mm}Z. {entry.Detail}\n\nIt is tried again every "
                + $"15 minutes; the older backups are kept. Look at the free space and the rights of that folder. {console}"
        );

    private static (string, string) OfReplacement(HistoryRow entry, Uri console) =>
        (
            "A restored service took this one's place",
            $"{entry.By} follows a service that was restored from a backup of the one at {console}. Nothing can be ordered "
                + "at this one any more. Use the restored one, and stop this one."
        );

    private static async Task<(string, string)> OfRunAsync(
        FurloughDb db,
        NotificationEvent what,
        HistoryRow entry,
        long number,
        Uri console,
        CancellationToken stop
    )
    {
        var run = await db.Runs.FirstAsync(r => r.Number == number, stop);
        var states = await db
            .Relocations.Where(r => r.Run == number)
            .GroupBy(r => r.State)
            .Select(g => new { g.Key, Count = g.Count() })
            .ToListAsync(stop);
        var counts = states.OrderBy(s => s.Key).Select(s => $"{s.Count} {s.Key.Word()}");
        var happened = what switch
        {
            NotificationEvent.RunProposed => $"was proposed by {run.StartedBy} and needs a second person's approval",
            NotificationEvent.WaveDone => $"has a wave done; {entry.Detail} begins",
            NotificationEvent.RunHalted => $"was halted by {entry.By}: {entry.Detail}",
            _ => "has ended",
        };
        return (
            $"Run {number} {happened}",
            $"{run.Title}: {string.Join(", ", counts)}.\n\n{new Uri(console, $"/runs/{number}")}"
        );
    }
}
