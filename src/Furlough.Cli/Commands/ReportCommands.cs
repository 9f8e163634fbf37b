using System.CommandLine;
using System.Diagnostics;
using System.Text;
using Furlough.Cli.Output;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough report`.</summary>
internal static class ReportCommands
{
    private static readonly string[] Browsers = ["chromium", "chromium-browser"];
    private static readonly TimeSpan LongestPrinting = TimeSpan.FromMinutes(2);

    internal static Command Make()
    {
        var run = new Option<long?>("--run") { Description = "Report of a run, by its number" };
        var room = new Option<string?>("--room") { Description = "Report of a room" };
        var audit = new Option<long?>("--audit") { Description = "Report of an audit, by its number" };
        var to = new Option<string?>("--to")
        {
            Description =
                "File to write: its ending says what, .html, .pdf, .csv or .json; left out, the text of the report is printed",
        };
        var table = new Option<string?>("--table")
        {
            Description = "For .csv: name of the table; left out, the last table, which has the most rows",
        };
        var make = new Command("make", "Create a report of a run, a room or an audit") { run, room, audit, to, table };
        make.Calls(
            async (client, parsed, stop) =>
            {
                (string Of, string Which)[] asked =
                [
                    .. new (string, string?)[]
                    {
                        ("runs", parsed.GetValue(run)?.ToString()),
                        ("rooms", parsed.GetValue(room)),
                        ("audits", parsed.GetValue(audit)?.ToString()),
                    }
                        .Where(a => a.Item2 is not null)
                        .Select(a => (a.Item1, a.Item2!)),
                ];
                if (asked is not [var (of, which)])
                    throw new ServiceException(
                        400,
                        "report-of-nothing",
                        "A report is of one run, one room or one audit.",
                        "Give one of --run, --room and --audit.",
                        null,
                        null
                    );
                if (parsed.GetValue(to) is { } file)
                    return await WriteAsync(client, of, which, file, parsed.GetValue(table), stop);
                var report = await client.ReportAsync(of, which, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(report);
                else
                    Print(report);
                return ExitCode.Done;
            }
        );
        return new Command("report", "Create reports of what was done") { make };
    }

    private static async Task<int> WriteAsync(
        FurloughClient client,
        string of,
        string which,
        string file,
        string? table,
        CancellationToken stop
    )
    {
        switch (Path.GetExtension(file).ToLowerInvariant())
        {
            case ".html":
                await File.WriteAllTextAsync(file, await client.ReportPageAsync(of, which, stop), stop);
                break;
            case ".json":
                await File.WriteAllTextAsync(
                    file,
                    Terminal.Spelled(await client.ReportAsync(of, which, stop)) + "\n",
                    stop
                );
                break;
            case ".csv":
                await WriteTableAsync(await client.ReportAsync(of, which, stop), file, table);
                break;
            case ".pdf":
                await PrintAsync(await client.ReportPageAsync(of, which, stop), file, stop);
                break;
            default:
                throw new ServiceException(
                    400,
                    "format-unknown",
                    $"A report cannot be written as `{Path.GetExtension(file)}`.",
                    "Let the file end in .html, .pdf, .csv or .json.",
                    null,
                    null
                );
        }
        Terminal.Line($"{Path.GetFullPath(file)} is written.");
        return ExitCode.Done;
    }

    private static async Task WriteTableAsync(Report report, string file, string? name)
    {
        var table = name is null
            ? report.Tables[^1]
            : report.Tables.FirstOrDefault(t => string.Equals(t.Name, name, StringComparison.OrdinalIgnoreCase))
                ?? throw new ServiceException(
                    400,
                    "table-unknown",
                    $"The report has no table {name}.",
                    $"It has {string.Join(", ", report.Tables.Select(t => t.Name))}.",
                    null,
                    null
                );
        await using var writer = new StreamWriter(file, false, new UTF8Encoding(encoderShouldEmitUTF8Identifier: true));
        Csv.Write(writer, table.Heads, table.Rows);
    }

    /// <summary>A browser prints the page; nothing of it is fetched from anywhere.</summary>
    private static async Task PrintAsync(string page, string file, CancellationToken stop)
    {
        var browser = Browsers
            .SelectMany(b =>
                (Environment.GetEnvironmentVariable("PATH") ?? "").Split(':').Select(f => Path.Combine(f, b))
            )
            .FirstOrDefault(File.Exists)
            ?? throw new ServiceException(
                400,
                "no-browser",
                "A browser makes the PDF, and none is installed here.",
                "Install chromium, or write the report as .html and print it.",
                null,
                null
            );
        var folder = Directory.CreateTempSubdirectory("furlough-report-");
        try
        {
            var (source, result) = (
                Path.Combine(folder.FullName, "report.html"),
                Path.Combine(folder.FullName, "report.pdf")
            );
            await File.WriteAllTextAsync(source, page, stop);
            using var process = Process.Start(
                new ProcessStartInfo(
                    browser,
                    [
                        "--headless",
                        .. Environment.IsPrivilegedProcess ? (string[])["--no-sandbox"] : [],
                        "--disable-gpu",
                        "--disable-quic",
                        "--no-first-run",
                        "--disable-background-networking",
                        "--disable-component-update",
                        "--disable-sync",
                        $"--user-data-dir={folder.FullName}/browser",
                        "--no-pdf-header-footer",
                        $"--print-to-pdf={result}",
                        new Uri(source).AbsoluteUri,
                    ]
                )
                {
                    RedirectStandardOutput = true,
                    RedirectStandardError = true,
                }
            )!;
            var said = process.StandardError.ReadToEndAsync(stop);
            _ = process.StandardOutput.ReadToEndAsync(stop);
            using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
            limit.CancelAfter(LongestPrinting);
            try
            {
                await process.WaitForExitAsync(limit.Token);
            }
            finally
            {
                if (!process.HasExited)
                    process.Kill(entireProcessTree: true);
            }
            if (!File.Exists(result))
                throw new ServiceException(
                    500,
                    "print-failed",
                    $"{browser} made no PDF: {(await said).Trim().Split('\n').LastOrDefault()}",
                    "Write the report as .html and print it.",
                    null,
                    null
                );
            File.Copy(result, file, overwrite: true);
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    private static void Print(Report report)
    {
        Terminal.Line(report.Title);
        foreach (var sentence in report.Summary)
            Terminal.Paragraph(0, sentence);
        if (report.Space.Count > 0)
        {
            Terminal.Line();
            Terminal.Table(
                ["machine", "volume", ">size", ">free before", ">free now", ">originals", ">reserve"],
                report.Space.Select(v =>
                    (string[])
                        [
                            v.Machine,
                            v.Root,
                            Model.Words.Size(v.SizeBytes),
                            v.FreeBeforeBytes is { } before ? Model.Words.Size(before) : "",
                            Model.Words.Size(v.FreeBytes),
                            v.OriginalBytes > 0 ? Model.Words.Size(v.OriginalBytes) : "",
                            v.ReserveBytes > 0 ? Model.Words.Size(v.ReserveBytes) : "none",
                        ]
                )
            );
        }
        foreach (var table in report.Tables)
        {
            Terminal.Line($"\n{table.Name}: {table.Title}{(table.Rows.Count == 0 ? ": none." : "")}");
            Terminal.Table(table.Heads, table.Rows, evenIfEmpty: false);
        }
    }
}
