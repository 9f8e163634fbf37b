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

    /// <summary>Where tables go. In a pipe lines are never folded.</summary>
    internal static IAnsiConsole Out => field ??= Make();

    /// <summary>Lets nothing harmful through to the terminal from now on, whoever prints it.</summary>
    internal static void Protect()
    {
        // Made before: it looks at the terminal itself, and cleans what it shows by itself.
        _ = Out;
        Console.SetOut(new Clean.Writer(Console.Out));
        Console.SetError(new Clean.Writer(Console.Error));
    }

    /// <summary>True when a person looks on.</summary>
    internal static bool Live => !Console.IsOutputRedirected;

    /// <summary>Prints a value as JSON.</summary>
    internal static void Json<T>(T value) => Console.Out.WriteLine(Spelled(value));

    /// <summary>A value as JSON.</summary>
    internal static string Spelled<T>(T value) => Clean.Json(JsonSerializer.Serialize(value, Indented));

    /// <summary>Tables are printed as CSV, one after the other with an empty line between, and nothing else is.</summary>
    internal static bool AsCsv { get; set; }

    private static int _tables;

    /// <summary>Prints a line.</summary>
    internal static void Line(string text = "")
    {
        if (!AsCsv)
            Out.WriteLine(text);
    }

    /// <summary>Prints a paragraph set in by some columns; where a person looks on, its folded lines are set in too.</summary>
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
            if (_tables++ > 0)
                Console.Out.WriteLine();
            Csv.Write(Console.Out, heads.Select(h => h.TrimStart('>')), rows);
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
        Console.Error.WriteLine($"furlough: {error.Message}");
        foreach (var detail in error.Details.Where(d => !error.Message.Contains(d, StringComparison.Ordinal)).Take(20))
            Console.Error.WriteLine($"  {detail}");
        if (error.Remedy is { } remedy)
            Console.Error.WriteLine(remedy);
        return error.Status switch
        {
            400 or 404 => ExitCode.WrongUse,
            401 or 403 or 409 or 410 => ExitCode.Refused,
            _ => ExitCode.Failed,
        };
    }

    private static IAnsiConsole Make()
    {
        var console = AnsiConsole.Create(new AnsiConsoleSettings());
        if (Console.IsOutputRedirected)
            console.Profile.Width = 4_000;
        return new Clean.Screen(console);
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
