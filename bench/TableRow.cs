namespace Furlough.Bench;

/// <summary>A row of a table in Markdown.</summary>
internal static class TableRow
{
    /// <summary>Prints cells, with numbers as programs write them.</summary>
    internal static void Print(params FormattableString[] cells) =>
        Console.WriteLine($"| {string.Join(" | ", cells.Select(FormattableString.Invariant))} |");

    /// <summary>Prints what a table begins with.</summary>
    /// <param name="columns">Their names; those that begin with `&lt;` are of words, the others of numbers.</param>
    internal static void PrintHead(params string[] columns)
    {
        Console.WriteLine($"| {string.Join(" | ", columns.Select(c => c.TrimStart('<')))} |");
        Console.WriteLine($"|{string.Join("|", columns.Select(c => c.StartsWith('<') ? "---" : "---:"))}|");
    }
}
