using System.Text.Json;
using Furlough.Protocol;
using Spectre.Console;

namespace Furlough.Cli.Output;

/// <summary>What commands print: tables for people, JSON for programs.</summary>
internal static class Terminal
{
    private static readonly JsonSerializerOptions Indented = new(JsonSerializerOptions.Web)
    {
        WriteIndented = true,
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    private static readonly AsyncLocal<Screen?> Current = new();

    /// <summary>What one run of the command line prints to.</summary>
    /// <param name="Live">A person looks on.</param>
    private sealed record Screen(IAnsiConsole Console, TextWriter Output, TextWriter Error, bool Live)
    {
        /// <summary>Tables are printed as CSV.</summary>
        public bool AsCsv { get; set; }

        /// <summary>How many tables were printed as CSV.</summary>
        public int Tables { get; set; }
    }

    private static Screen Shown =>
        Current.Value ?? throw new InvalidOperationException("The command line was not opened.");

    /// <summary>
    /// Prints to these from here on. Nothing harmful gets through, no matter who prints it. In a pipe lines are never
    /// folded.
    /// </summary>
    /// <param name="live">A person looks on.</param>
    internal static void Open(TextWriter output, TextWriter error, bool live)
    {
        var settings = new AnsiConsoleSettings
        {
            Ansi = live ? AnsiSupport.Detect : AnsiSupport.No,
            ColorSystem = live ? ColorSystemSupport.Detect : ColorSystemSupport.NoColors,
        };
        if (output != Console.Out)
            settings.Out = new AnsiConsoleOutput(output);
        var console = AnsiConsole.Create(settings);
        if (!live)
            console.Profile.Width = 4_000;
        Current.Value = new Screen(new Clean.Screen(console), new Clean.Writer(output), new Clean.Writer(error), live);
    }

    /// <summary>Where tables go.</summary>
    internal static IAnsiConsole Out => Shown.Console;

    /// <summary>Where texts go.</summary>
    internal static TextWriter Output => Shown.Output;

    /// <summary>Where errors go.</summary>
    internal static TextWriter Error => Shown.Error;

    /// <summary>True when a person looks on.</summary>
    internal static bool Live => Shown.Live;

    /// <summary>Prints a value as JSON.</summary>
    internal static void Json<T>(T value) => Output.WriteLine(Spelled(value));

    /// <summary>A value as JSON.</summary>
    internal static string Spelled<T>(T value) => Clean.Json(JsonSerializer.Serialize(value, Indented));

    /// <summary>
    /// Tables are printed as CSV, one after the other with an empty line between, and nothing else is.
    /// </summary>
    internal static bool AsCsv
    {
        get => Shown.AsCsv;
        set => Shown.AsCsv = value;
    }

    /// <summary>Prints a line.</summary>
    internal static void Line(string text = "")
    {
        if (!AsCsv)
            Out.WriteLine(text);
    }

    /// <summary>
    /// Prints a paragraph set in by some columns; where a person looks on, its folded lines are set in too.
    /// </summary>
    internal static void Paragraph(int indent, string text)
    {
        if (AsCsv)
            return;
        if (Live)
            Out.Write(new Padder(new Text(text), new Padding(indent, 0, 0, 0)));
        else
            Out.WriteLine(new string(' ', indent) + text);
    }

    /// <summary>Prints a table; columns whose head begins with '>' are set to the right.</summary>
    internal static void Table(
        IReadOnlyList<string> heads,
        IEnumerable<IReadOnlyList<string>> rows,
        bool evenIfEmpty = true
    )
    {
        if (!evenIfEmpty && !rows.Any())
            return;
        if (AsCsv)
        {
            if (Shown.Tables++ > 0)
                Output.WriteLine();
            Csv.Write(Output, heads.Select(h => h.TrimStart('>')), rows);
            return;
        }
        var table = new Table { Border = TableBorder.None, ShowRowSeparators = false };
        foreach (var head in heads)
        {
            var column = new TableColumn(new Text(head.TrimStart('>'), new Style(decoration: Decoration.Bold)))
            {
                NoWrap = !Live,
                Padding = new Padding(0, 0, 2, 0),
            };
            if (head.StartsWith('>'))
                column.Alignment = Justify.Right;
            table.AddColumn(column);
        }
        foreach (var row in rows)
            table.AddRow(row.Select(cell => new Text(cell)));
        Out.Write(table);
    }

    /// <summary>Prints an error with its remedy and returns its exit code.</summary>
    internal static int Fail(ServiceException error)
    {
        Error.WriteLine($"furlough: {error.Message}");
        foreach (var detail in error.Details.Where(d => !error.Message.Contains(d, StringComparison.Ordinal)).Take(20))
            Error.WriteLine($"  {detail}");
        if (error.Remedy is { } remedy)
            Error.WriteLine(remedy);
        return error.Status switch
        {
            400 or 404 => ExitCode.WrongUse,
            401 or 403 or 409 or 410 => ExitCode.Refused,
            _ => ExitCode.Failed,
        };
    }
}

/// <summary>Exit codes of every command.</summary>
internal static class ExitCode
{
    internal const int Done = 0,
        Failed = 1,
        WrongUse = 2,
        DoneInPart = 3,
        WaitsForPerson = 4,
        Refused = 5;
}
