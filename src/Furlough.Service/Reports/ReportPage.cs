using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Service.Reports;

/// <summary>A report as one HTML file that needs nothing else, for reading, printing and keeping.</summary>
internal static class ReportPage
{
    /// <summary>So many characters are kept on one line.</summary>
    private const int LongestWhole = 22;

    private static readonly string Style = ReadStyle();

    /// <summary>The page.</summary>
    internal static string Of(Report report)
    {
        var page = new StringBuilder();
        page.Append(
            CultureInfo.InvariantCulture,
            $"""
            <!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
            <title>{Text(report.Title)}</title><style>{Style}</style></head><body><main><h1>{Text(report.Title)}</h1>
            """
        );
        page.Append(
            CultureInfo.InvariantCulture,
            $"<p class=\"quiet\">Report of Furlough, made at {report.MadeAt.UtcDateTime:yyyy-MM-dd HH:mm}Z by {Text(report.MadeBy)}.</p>"
        );
        foreach (var sentence in report.Summary)
            page.Append(CultureInfo.InvariantCulture, $"<p>{Text(sentence)}</p>");
        if (report.Space.Count > 0)
            Space(page, report.Space);
        foreach (var table in report.Tables)
            Table(page, table);
        return page.Append("</main></body></html>").ToString();
    }

    private static void Space(StringBuilder page, IReadOnlyList<VolumeChange> volumes)
    {
        var before = volumes.Any(v => v.FreeBeforeBytes is not null);
        // One pattern for all shelves.
        page.Append(
            """
            <svg style="width:0;height:0;position:absolute" aria-hidden="true"><defs>
            <pattern id="kept" width="12" height="6" patternUnits="userSpaceOnUse">
            <path d="M0 0L12 6" stroke="#23241f" stroke-width="2"/></pattern></defs></svg>
            """
        );
        page.Append(
            """
            <h2>Space <span class="quiet">filled is what is in use, hatched are originals that are kept, the notch is
            the reserve</span></h2><table><thead><tr><th>machine</th><th>volume</th><th class="n">size</th>
            """
        );
        page.Append(
                before
                    ? "<th>before</th><th class=\"n\">free</th><th>now</th><th class=\"n\">free</th>"
                    : "<th>now</th><th class=\"n\">free</th>"
            )
            .Append("</tr></thead><tbody>");
        foreach (var v in volumes)
        {
            var system = v.System ? " <span class=\"quiet\">system</span>" : "";
            page.Append(
                CultureInfo.InvariantCulture,
                $"<tr><th>{Text(v.Machine)}</th><td>{Text(v.Root)}{system}</td>{Size(v.SizeBytes)}"
            );
            if (before)
                page.Append(
                    CultureInfo.InvariantCulture,
                    $"<td>{(v.FreeBeforeBytes is { } free ? Shelf(v, free, 0, "before") : "")}</td>{Size(v.FreeBeforeBytes)}"
                );
            page.Append(
                CultureInfo.InvariantCulture,
                $"<td>{Shelf(v, v.FreeBytes, v.OriginalBytes, "now")}</td>{Size(v.FreeBytes)}</tr>"
            );
        }
        page.Append("</tbody></table>");
    }

    private static string Size(long? bytes) => $"<td class=\"n\">{(bytes is { } known ? Words.Size(known) : "")}</td>";

    private const string Stroke = "vector-effect=\"non-scaling-stroke\"";

    /// <summary>A volume as a shelf: filled as far as it is in use.</summary>
    private static string Shelf(VolumeChange v, long freeBytes, long originalBytes, string when)
    {
        double Of(long bytes) => v.SizeBytes <= 0 ? 0 : Math.Clamp(1_000.0 * bytes / v.SizeBytes, 0, 1_000);
        var label = $"{v.Root} of {v.Machine} {when}: {Words.Size(freeBytes)} of {Words.Size(v.SizeBytes)} free";
        var used = 1_000 - Of(freeBytes);
        var hatched = Math.Min(used, Of(originalBytes));
        var kept =
            hatched > 0
                ? string.Create(
                    CultureInfo.InvariantCulture,
                    $"<rect class=\"kept\" {Stroke} x=\"{used - hatched:0.#}\" width=\"{hatched:0.#}\" height=\"22\"/>"
                )
                : "";
        var notch =
            v.ReserveBytes > 0
                ? string.Create(
                    CultureInfo.InvariantCulture,
                    $"<path class=\"notch\" {Stroke} d=\"M{1_000 - Of(v.ReserveBytes):0.#} 0V22\"/>"
                )
                : "";
        return string.Create(
            CultureInfo.InvariantCulture,
            $"""
            <svg viewBox="0 0 1000 22" preserveAspectRatio="none" role="img" aria-label="{Text(label)}">
            <rect class="board" {Stroke} width="1000" height="22"/>
            <rect class="used" width="{used - hatched:0.#}" height="22"/>{kept}{notch}</svg>
            """
        );
    }

    private static void Table(StringBuilder page, ReportTable table)
    {
        page.Append(
            CultureInfo.InvariantCulture,
            $"<h2>{Text(table.Name)} <span class=\"quiet\">{Text(table.Title)}</span></h2>"
        );
        if (table.Rows.Count == 0)
        {
            page.Append("<p>None.</p>");
            return;
        }
        page.Append("<table><thead><tr>");
        // Names stay whole, whatever the width; only sentences and paths are broken.
        var wide = table.Heads.Select((_, i) => table.Rows.Max(r => r[i].Length) > LongestWhole).ToList();
        var numbers = table
            .Heads.Select((_, i) => table.Rows.All(r => r[i].Length > 0 && r[i].All(c => char.IsAsciiDigit(c))))
            .ToList();
        foreach (var (i, head) in table.Heads.Index())
            page.Append(CultureInfo.InvariantCulture, $"<th{(numbers[i] ? " class=\"n\"" : "")}>{Text(head)}</th>");
        page.Append("</tr></thead><tbody>");
        Rows(page, table, wide, numbers);
        page.Append("</tbody></table>");
    }

    private static void Rows(StringBuilder page, ReportTable table, List<bool> wide, List<bool> numbers)
    {
        foreach (var row in table.Rows)
        {
            page.Append("<tr>");
            foreach (var (i, cell) in row.Index())
                page.Append(
                    CultureInfo.InvariantCulture,
                    $"<td{(wide[i] ? " class=\"w\"" : numbers[i] ? " class=\"n\"" : "")}>{Text(cell)}</td>"
                );
            page.Append("</tr>");
        }
    }

    private static string ReadStyle()
    {
        using var style = new StreamReader(typeof(ReportPage).Assembly.GetManifestResourceStream("report.css")!);
        return style.ReadToEnd();
    }

    private static string Text(string text) => HtmlEncoder.Default.Encode(text);
}
