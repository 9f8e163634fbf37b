using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.History;

/// <summary>Reads the history.</summary>
public sealed class HistoryList(Store store)
{
    /// <summary>The latest entries first.</summary>
    /// <param name="about">Only entries that contain this text ("paused", "ada"), or are about this thing ("run 2");
    /// null for all.</param>
    public Task<List<HistoryEntry>> ReadAsync(Page page, string? about, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var entries = db.History.Where(h => page.Beyond == null || h.Number < page.Beyond);
                if (!string.IsNullOrWhiteSpace(about))
                    entries = About(entries, about.Trim());
                return (await entries.OrderByDescending(h => h.Number).Take(page.Limit).ToListAsync(stop)).ConvertAll(
                    View
                );
            },
            stop
        );

    private static IQueryable<HistoryRow> About(IQueryable<HistoryRow> entries, string text)
    {
        if (Numbered(text) is { } thing)
            return entries.Where(h => h.About == thing.Kind && h.SubjectNumber == thing.Number);
        var events = Enum.GetValues<HistoryEvent>().Where(e => Contains(e.InWords(), text)).ToList();
        var kinds = Enum.GetValues<SubjectKind>().Where(k => Contains(k.InWords(), text)).ToList();
        var literal = text.Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace("%", "\\%", StringComparison.Ordinal)
            .Replace("_", "\\_", StringComparison.Ordinal);
        var like = $"%{literal}%";
        return entries.Where(h =>
            events.Contains(h.Event)
            || kinds.Contains(h.About)
            || EF.Functions.Like(
                h.By + " " + h.SubjectName + " " + (h.From ?? "") + " " + (h.To ?? "") + " " + (h.Detail ?? ""),
                like,
                "\\"
            )
        );
    }

    /// <summary>"run 2" is a thing with a number.</summary>
    private static HistorySubject? Numbered(string text)
    {
        foreach (var kind in Enum.GetValues<SubjectKind>())
            if (
                text.StartsWith(kind.InWords() + " ", StringComparison.OrdinalIgnoreCase)
                && long.TryParse(text[(kind.InWords().Length + 1)..], out var number)
            )
                return new HistorySubject(kind, number, "");
        return null;
    }

    private static bool Contains(string words, string text) => words.Contains(text, StringComparison.OrdinalIgnoreCase);

    private static HistoryEntry View(HistoryRow row) =>
        new(row.Number, row.At, row.By, row.Event, row.Subject, row.From, row.To, row.Detail, row.Correlation);
}
