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

    private const string Style = """
        :root{--paper:#faf7f0;--ink:#23241f;--faint:#5c5b50;--line:#cfc8b6;--other:#b9b19c;--stuck:#93291f}
        body{margin:2rem auto;max-width:72rem;padding:0 1.5rem;font:15px/1.45 system-ui,sans-serif;font-variant-numeric:tabular-nums;color:var(--ink);background:var(--paper)}
        h1{font-size:1.5rem}h2{font-size:1.1rem;margin:1.8rem 0 .3rem}.quiet{color:var(--faint);font-weight:400}
        table{border-collapse:collapse;width:100%}th,td{text-align:left;vertical-align:top;padding:.15rem .8rem .15rem 0;border-bottom:1px solid var(--line);white-space:nowrap}
        td.w{white-space:normal;overflow-wrap:anywhere}h2{break-after:avoid}
        thead th{color:var(--faint);font-weight:400}tr{break-inside:avoid}
        .n{text-align:right;white-space:nowrap}svg{display:block;width:16rem;height:14px}
        .board{fill:none;stroke:var(--faint)}.used{fill:var(--ink)}.kept{fill:url(#kept);stroke:var(--faint)}.notch{stroke:var(--stuck);stroke-width:2}
        @media (max-width:60rem){table{display:block;overflow-x:auto}td.w{min-width:14rem}}
        @page{margin:14mm 12mm}
        @media print{body{margin:0;padding:0;max-width:none;font-size:8.5px;background:#fff}table{display:table}td.w{min-width:0}svg{width:5.5rem;height:9px}h1{font-size:1.7em}h2{font-size:1.35em}th,td{padding-right:.6rem}}
        """;

    /// <summary>The page.</summary>
    internal static string Of(Report report)
    {
        var page = new StringBuilder();
        page.Append(
            CultureInfo.InvariantCulture,
            $"<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>{Text(report.Title)}</title><style>{Style}</style></head><body><main><h1>{Text(report.Title)}</h1>"
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
            "<svg style=\"width:0;height:0;position:absolute\" aria-hidden=\"true\"><defs><pattern id=\"kept\" width=\"12\" height=\"6\" patternUnits=\"userSpaceOnUse\"><path d=\"M0 0L12 6\" stroke=\"#23241f\" stroke-width=\"2\"/></pattern></defs></svg>"
        );
        page.Append(
            "<h2>Space <span class=\"quiet\">filled is what is in use, hatched are originals that are kept, the notch is the reserve</span></h2><table><thead><tr><th>machine</th><th>volume</th><th class=\"n\">size</th>"
        );
        page.Append(
                before
                    ? "<th>before</th><th class=\"n\">free</th><th>now</th><th class=\"n\">free</th>"
                    : "<th>now</th><th class=\"n\">free</th>"
            )
            .Append("</tr></thead><tbody>");
        foreach (var v in volumes)
        {
            page.Append(
                CultureInfo.InvariantCulture,
                $"<tr><th>{Text(v.Machine)}</th><td>{Text(v.Root)}{(v.System ? " <span class=\"quiet\">system</span>" : "")}</td><td class=\"n\">{Words.Size(v.SizeBytes)}</td>"
            );
            if (before)
                page.Append(
                    CultureInfo.InvariantCulture,
                    $"<td>{(v.FreeBeforeBytes is { } free ? Shelf(v, free, 0, "before") : "")}</td><td class=\"n\">{(v.FreeBeforeBytes is { } was ? Words.Size(was) : "")}</td>"
                );
            page.Append(
                CultureInfo.InvariantCulture,
                $"<td>{Shelf(v, v.FreeBytes, v.OriginalBytes, "now")}</td><td class=\"n\">{Words.Size(v.FreeBytes)}</td></tr>"
            );
        }
        page.Append("</tbody></table>");
    }

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
                    $"<rect class=\"kept\" vector-effect=\"non-scaling-stroke\" x=\"{used - hatched:0.#}\" width=\"{hatched:0.#}\" height=\"22\"/>"
                )
                : "";
        var notch =
            v.ReserveBytes > 0
                ? string.Create(
                    CultureInfo.InvariantCulture,
                    $"<path class=\"notch\" vector-effect=\"non-scaling-stroke\" d=\"M{1_000 - Of(v.ReserveBytes):0.#} 0V22\"/>"
                )
                : "";
        return string.Create(
            CultureInfo.InvariantCulture,
            $"<svg viewBox=\"0 0 1000 22\" preserveAspectRatio=\"none\" role=\"img\" aria-label=\"{Text(label)}\"><rect class=\"board\" vector-effect=\"non-scaling-stroke\" width=\"1000\" height=\"22\"/><rect class=\"used\" width=\"{used - hatched:0.#}\" height=\"22\"/>{kept}{notch}</svg>"
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
        page.Append("</tbody></table>");
    }

    private static string Text(string text) => HtmlEncoder.Default.Encode(text);
}
