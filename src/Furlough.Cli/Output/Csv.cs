using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;

namespace Furlough.Cli.Output;

/// <summary>
/// Tables for spreadsheets and scripts (RFC 4180). What a spreadsheet would take for a formula is kept from being one.
/// </summary>
internal static class Csv
{
    private static readonly CsvConfiguration Settings = new(CultureInfo.InvariantCulture)
    {
        InjectionOptions = InjectionOptions.Escape,
        NewLine = "\r\n",
    };

    /// <summary>Writes a table.</summary>
    internal static void Write(TextWriter to, IEnumerable<string> heads, IEnumerable<IReadOnlyList<string>> rows)
    {
        using var csv = new CsvWriter(to, Settings, leaveOpen: true);
        foreach (var row in rows.Prepend([.. heads]))
        {
            foreach (var cell in row)
                csv.WriteField(cell);
            csv.NextRecord();
        }
    }
}
