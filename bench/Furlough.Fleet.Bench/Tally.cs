using System.Globalization;
using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol.Api;
using Microsoft.Data.Sqlite;

namespace Furlough.Bench;

/// <summary>Holds what the service stored against what the agents said, by their own files.</summary>
/// <param name="Bulletins">How many the agents made.</param>
/// <param name="Lost">How many of these the service does not have, or has otherwise.</param>
/// <param name="Miscounted">Relocations whose history has not exactly the changes of state that their bulletins
/// tell.</param>
internal sealed record Tally(int Bulletins, int Lost, int Miscounted)
{
    internal static Tally Of(string serviceFolder, string bayFolder, int bays)
    {
        using var service = Open(Path.Combine(serviceFolder, "furlough.db"));
        var machines = Read(service, "SELECT Id, Name FROM Machines", r => (Id: r.GetString(0), Name: r.GetString(1)))
            .ToDictionary(m => m.Name, m => m.Id);
        var stored = Read(service, "SELECT Machine, Number, Body FROM Bulletins", r =>
                (Machine: r.GetString(0), Number: r.GetInt64(1), Body: r.GetString(2))
            )
            .ToDictionary(b => (b.Machine, b.Number), b => b.Body);
        var changes = Read(service, "SELECT Subject FROM History WHERE Action='relocation'", r =>
                long.Parse(r.GetString(0).Split(' ')[0], CultureInfo.InvariantCulture)
            )
            .CountBy(n => n)
            .ToDictionary();
        var (made, lost, miscounted) = (0, 0, 0);
        foreach (var name in Enumerable.Range(0, bays).Select(Bays.NameOf))
        {
            using var agent = Open(Path.Combine(bayFolder, name, "agent.db"));
            var said = Read(agent, "SELECT number, body FROM bulletin ORDER BY number", r =>
                (Number: r.GetInt64(0), Body: JsonSerializer.Deserialize(r.GetString(1), ModelJson.Default.Bulletin)!)
            );
            made += said.Count;
            lost += said.Count(b =>
                !stored.TryGetValue((machines[name], b.Number), out var body)
                || body != JsonSerializer.Serialize(b.Body, ModelJson.Default.Bulletin)
            );
            miscounted += said.GroupBy(b => b.Body.Relocation)
                .Count(r => changes.GetValueOrDefault(r.Key) != Changes(r.Select(b => b.Body.State)));
        }
        return new Tally(made, lost, miscounted);
    }

    /// <summary>How often a relocation that was queued changed its state.</summary>
    private static int Changes(IEnumerable<RelocationState> states)
    {
        var (changes, before) = (0, RelocationState.Queued);
        foreach (var state in states)
        {
            if (state != before)
                changes++;
            before = state;
        }
        return changes;
    }

    private static SqliteConnection Open(string path)
    {
        var connection = new SqliteConnection($"Data Source={path};Pooling=False;Mode=ReadOnly");
        connection.Open();
        return connection;
    }

    private static List<T> Read<T>(SqliteConnection connection, string sql, Func<SqliteDataReader, T> read)
    {
        using var command = connection.CreateCommand();
#pragma warning disable CA2100 // Every text comes from this file.
        command.CommandText = sql;
#pragma warning restore CA2100
        using var reader = command.ExecuteReader();
        List<T> rows = [];
        while (reader.Read())
            rows.Add(read(reader));
        return rows;
    }
}
