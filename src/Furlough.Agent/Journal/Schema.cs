using System.Text.Json;
using Furlough.Engine.Records;
using Furlough.Model;
using Microsoft.Data.Sqlite;

namespace Furlough.Agent.Journal;

/// <summary>
/// The tables of the agent's file, with a version, and how files of earlier versions become this one.
/// </summary>
internal static class Schema
{
    /// <summary>
    /// 1: notes were texts under keys; files had no version number.
    /// 2: steps record typed facts; how often the agent died in a docket is counted.
    /// 3: dockets claim room at their targets.
    /// 4: every hold of a docket is recorded, not only that an account is kept from signing in.
    /// </summary>
    private const long Current = 4;

    private const string Tables = """
        CREATE TABLE IF NOT EXISTS setting (key TEXT PRIMARY KEY, value TEXT NOT NULL);
        CREATE TABLE IF NOT EXISTS docket (
            number INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, relocation INTEGER NOT NULL, supersession INTEGER NOT NULL,
            body TEXT NOT NULL, begun TEXT, undoing TEXT, ended TEXT, signed TEXT,
            working TEXT, deaths INTEGER NOT NULL DEFAULT 0);
        CREATE TABLE IF NOT EXISTS done (docket TEXT NOT NULL, step TEXT NOT NULL, PRIMARY KEY (docket, step));
        CREATE TABLE IF NOT EXISTS record (
            docket TEXT NOT NULL, kind TEXT NOT NULL, key TEXT NOT NULL, body TEXT NOT NULL, PRIMARY KEY (docket, kind, key));
        CREATE TABLE IF NOT EXISTS bulletin (number INTEGER PRIMARY KEY, docket TEXT NOT NULL, body TEXT NOT NULL);
        CREATE TABLE IF NOT EXISTS original (docket TEXT PRIMARY KEY, body TEXT NOT NULL);
        CREATE TABLE IF NOT EXISTS refusal (at TEXT NOT NULL, text TEXT NOT NULL);
        CREATE TABLE IF NOT EXISTS space (
            at INTEGER NOT NULL, volume TEXT NOT NULL, used INTEGER NOT NULL, PRIMARY KEY (at, volume));
        """;

    /// <summary>Whether an earlier version wrote the file.</summary>
    internal static bool IsFormer(SqliteConnection connection) =>
        Version(connection) < Current && Scalar(connection, "SELECT 1 FROM sqlite_master LIMIT 1") is not null;

    /// <summary>Makes the tables of a new file, or takes a file of an earlier version over, all or nothing.</summary>
    /// <exception cref="FormatException">Another version wrote the file, or what it holds cannot be read. It is as it
    /// was.</exception>
    internal static void Prepare(SqliteConnection connection, bool takesOver)
    {
        using var transaction = connection.BeginTransaction();
        var found = Version(connection);
        if (found > Current)
            throw new FormatException(
                $"A later version of the agent wrote `{connection.DataSource}` (schema {found}, this one reads up "
                    + $"to {Current}). Install that version again; nothing was changed."
            );
        if (!takesOver && IsFormer(connection))
            throw new FormatException(
                $"An earlier version of the agent wrote `{connection.DataSource}`. Start the agent once, so that "
                    + "it takes the file over; nothing was changed."
            );
        // A file of this version is not written to: there may be no room.
        if (found == Current)
            return;
        Execute(connection, Tables);
        TakeOverNotes(connection);
        TakeOverHolds(connection);
        Execute(connection, $"PRAGMA user_version={Current}");
        transaction.Commit();
    }

    /// <summary>Folds the log beside the file into it.</summary>
    internal static void Fold(SqliteConnection connection) => Execute(connection, "PRAGMA wal_checkpoint(TRUNCATE)");

    private static long Version(SqliteConnection connection) => (long)Scalar(connection, "PRAGMA user_version")!;

    private static void TakeOverNotes(SqliteConnection connection)
    {
        // The oldest journals did not keep dockets as they were signed.
        if (Scalar(connection, "SELECT 1 FROM pragma_table_info('docket') WHERE name='signed'") is null)
            Execute(connection, "ALTER TABLE docket ADD COLUMN signed TEXT");
        if (Scalar(connection, "SELECT 1 FROM pragma_table_info('docket') WHERE name='deaths'") is null)
        {
            Execute(connection, "ALTER TABLE docket ADD COLUMN working TEXT");
            Execute(connection, "ALTER TABLE docket ADD COLUMN deaths INTEGER NOT NULL DEFAULT 0");
        }
        if (Scalar(connection, "SELECT 1 FROM pragma_table_info('note')") is null)
            return;
        foreach (var (id, body, notes) in ReadNotes(connection))
        {
            var docket = JsonSerializer.Deserialize(body, ModelJson.Default.Docket)!;
            foreach (var record in FormerNotes.Read(docket, notes).Select(StepRecordFormat.Store))
                Execute(
                    connection,
                    "INSERT INTO record VALUES ($a,$b,$c,$d)",
                    id,
                    record.Kind,
                    record.Key,
                    record.Body
                );
        }
        Execute(connection, "DROP TABLE note");
    }

    /// <summary>
    /// Every docket that was quiesced and not reopened holds its programs closed; where it locked its account out, that
    /// becomes a hold too.
    /// </summary>
    private static void TakeOverHolds(SqliteConnection connection) =>
        Execute(
            connection,
            """
            INSERT INTO record SELECT docket, 'hold', 'sign-in', json_object('hold', 'sign-in', 'former', body->>'former')
                FROM record WHERE kind='kept-out';
            DELETE FROM record WHERE kind='kept-out';
            INSERT INTO record SELECT done.docket, 'hold', 'programs', json_object('hold', 'programs', 'former', '')
                FROM done JOIN docket ON docket.id=done.docket WHERE step='quiesce' AND ended IS NULL
                AND done.docket NOT IN (SELECT docket FROM done WHERE step='reopen');
            """
        );

    private static List<(string Docket, string Body, Dictionary<string, string> Notes)> ReadNotes(
        SqliteConnection connection
    )
    {
        using var command = connection.CreateCommand();
        command.CommandText =
            "SELECT docket.id, docket.body, note.key, note.value FROM note JOIN docket ON docket.id=note.docket";
        using var reader = command.ExecuteReader();
        List<(string Id, string Body, string Key, string Value)> rows = [];
        while (reader.Read())
            rows.Add((reader.GetString(0), reader.GetString(1), reader.GetString(2), reader.GetString(3)));
        return
        [
            .. rows.GroupBy(r => (r.Id, r.Body))
                .Select(g => (g.Key.Id, g.Key.Body, g.ToDictionary(r => r.Key, r => r.Value))),
        ];
    }

    private static object? Scalar(SqliteConnection connection, string sql)
    {
        using var command = Command(connection, sql);
        return command.ExecuteScalar();
    }

    private static void Execute(SqliteConnection connection, string sql, params string[] values)
    {
        using var command = Command(connection, sql);
        for (var i = 0; i < values.Length; i++)
            command.Parameters.AddWithValue("$" + (char)('a' + i), values[i]);
        command.ExecuteNonQuery();
    }

    private static SqliteCommand Command(SqliteConnection connection, string sql)
    {
        var command = connection.CreateCommand();
#pragma warning disable CA2100 // Every text comes from this file; values are parameters.
        command.CommandText = sql;
#pragma warning restore CA2100
        return command;
    }
}
