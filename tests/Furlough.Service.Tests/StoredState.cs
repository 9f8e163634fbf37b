using System.Text;
using Microsoft.Data.Sqlite;

namespace Furlough.Service.Tests;

/// <summary>All that a database holds, as text.</summary>
internal static class StoredState
{
    /// <summary>Every row of every table but the leases, which are renewed while nothing happens.</summary>
    internal static string Of(string path)
    {
        using var connection = new SqliteConnection($"Data Source={path};Mode=ReadOnly;Pooling=False");
        connection.Open();
        List<string> tables = [];
        using (
            var list = new SqliteCommand(
                "SELECT name FROM sqlite_master WHERE type='table' AND name <> 'Leases' ORDER BY name",
                connection
            )
        )
        using (var row = list.ExecuteReader())
            while (row.Read())
                tables.Add(row.GetString(0));
        var all = new StringBuilder();
        foreach (var table in tables)
        {
#pragma warning disable CA2100 // The names are those of the storage itself.
            using var rows = new SqliteCommand($"SELECT * FROM \"{table}\"", connection);
#pragma warning restore CA2100
            using var row = rows.ExecuteReader();
            var values = new object[row.FieldCount];
            while (row.Read())
            {
                row.GetValues(values);
                all.Append(table).Append(": ").AppendJoin(" | ", values).Append('\n');
            }
        }
        return all.ToString();
    }
}
