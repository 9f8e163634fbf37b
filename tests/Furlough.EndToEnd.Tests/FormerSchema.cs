using System.Globalization;
using Furlough.Agent.Journal;
using Furlough.Engine;
using Furlough.Engine.Holds;
using Furlough.Engine.Records;
using Furlough.Model;
using Microsoft.Data.Sqlite;

namespace Furlough.EndToEnd.Tests;

/// <summary>The agent's file as its first version wrote it.</summary>
internal static class FormerSchema
{
    /// <summary>Turns a file of today into what the first version would have written.</summary>
    internal static void WriteBack(string path)
    {
        List<(string Docket, string Key, string Value)> notes;
        using (var store = new AgentStore(path))
            notes =
            [
                .. store
                    .Dockets()
                    .SelectMany(d =>
                        store
                            .Read(d.Docket.Id)
                            .Records.All.SelectMany(Notes)
                            .Select(n => ($"{d.Docket.Id}", n.Key, n.Value))
                    ),
            ];
        using var connection = Open(path);
        Execute(
            connection,
            """
            CREATE TABLE note (docket TEXT NOT NULL, key TEXT NOT NULL, value TEXT NOT NULL, PRIMARY KEY (docket, key));
            DROP TABLE record;
            ALTER TABLE docket DROP COLUMN working;
            ALTER TABLE docket DROP COLUMN deaths;
            PRAGMA user_version=0;
            """
        );
        foreach (var (docket, key, value) in notes)
            Execute(connection, "INSERT INTO note VALUES ($a,$b,$c)", docket, key, value);
    }

    /// <summary>
    /// Turns a file of today into what the third version would have written: of holds it recorded only the sign-in.
    /// </summary>
    internal static void WriteBackHolds(string path) =>
        Execute(
            path,
            """
            UPDATE record SET kind='kept-out', key='', body=json_object('former', body->>'former')
                WHERE kind='hold' AND key='sign-in';
            DELETE FROM record WHERE kind='hold';
            PRAGMA user_version=3;
            """
        );

    /// <summary>A fact as the first schema kept it.</summary>
    internal static IEnumerable<(string Key, string Value)> Notes(StepRecord record) =>
        record switch
        {
            PutAway put => [("parked-for", put.Code), ("parked-saying", put.Message)],
            // It claimed nothing: dockets followed one another.
            TargetClaim => [],
            // Of the holds only the sign-in had a note.
            HoldTaken { Hold: not SignInHold.Key } => [],
            _ => [Note(record)],
        };

    private static (string Key, string Value) Note(StepRecord record) =>
        record switch
        {
            TargetShown r => ("target-shown", r.Path),
            Compared => ("prepare-compared", "yes"),
            MadeParents r => ("made-from", Text($"{r.FromPart}")),
            EmptyTarget r => ("empty-target", Text($"{r.Mode} {r.Owner} {r.Group}")),
            ReachedBy r => ("reached-by", string.Join('/', r.Accounts)),
            Adopted => ("adopted", "yes"),
            NothingAtSource => ("nothing-at-source", "yes"),
            OwnFolder { Side: DocketSide.Copy } r => ("folder-of-copy", Text($"{r.Ground}\t{r.Token}\t{r.FileId}")),
            OwnFolder r => ("folder-of-original", Text($"{r.Ground}\t{r.Token}\t{r.FileId}")),
            NextValue r => ($"next {Named(r.Address)}", $"{r.Value.Type}\t{r.Value.Text}"),
            RenamesBack r => ("original-back", r.Docket?.ToString("N") ?? ""),
            LiveFlushed r => ("original-back-flushed", Text($"{r.AtNs}")),
            Proven r => ("proven", Text($"{r.Files} {r.Bytes}")),
            HoldTaken { Hold: SignInHold.Key } r => ("sign-in", "=" + r.Former),
            Arriving r => ("target-id", Text($"{r.FileId}")),
            LinkGaveWay r => ("link-gave-way", Text($"{r.Owner} {r.Group} {r.LeadsTo}")),
            LeftLink => ("link-left", "yes"),
            SourceCompared => ("compared", "yes"),
            DiscardConfirmed r => ($"confirmed{r.Original}", "yes"),
            _ => throw new NotSupportedException($"The first schema had no {record}."),
        };

    private static string Named(PointerAddress a) => $"{a.Kind} {a.Container} {a.Key} {a.Account}";

    private static string Text(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);

    internal static SqliteConnection Open(string path)
    {
        var connection = new SqliteConnection($"Data Source={path};Pooling=False");
        connection.Open();
        // No trial needs its file after a power cut, and hundreds are written.
        Execute(connection, "PRAGMA synchronous=OFF");
        return connection;
    }

    internal static void Execute(string path, string sql)
    {
        using var connection = Open(path);
        Execute(connection, sql);
    }

    internal static void Execute(SqliteConnection connection, string sql, params object?[] values)
    {
        using var command = connection.CreateCommand();
#pragma warning disable CA2100 // Every text comes from this file.
        command.CommandText = sql;
#pragma warning restore CA2100
        for (var i = 0; i < values.Length; i++)
            command.Parameters.AddWithValue("$" + (char)('a' + i), values[i] ?? DBNull.Value);
        command.ExecuteNonQuery();
    }
}
