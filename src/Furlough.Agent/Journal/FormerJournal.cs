using Microsoft.Data.Sqlite;

namespace Furlough.Agent.Journal;

/// <summary>
/// The file of an earlier version, taken over on a copy. The agent that wrote it can go on with its own file, which is
/// untouched, until the new one has reported itself healthy and keeps the copy instead.
/// </summary>
internal sealed class FormerJournal : IDisposable
{
    private readonly string _path,
        _copy;

    private FormerJournal(string path, string copy)
    {
        (_path, _copy) = (path, copy);
        Forget();
        using (var from = Connect(path, SqliteOpenMode.ReadOnly))
        using (var to = Connect(copy, SqliteOpenMode.ReadWriteCreate))
            from.BackupDatabase(to);
        try
        {
            Store = new AgentStore(copy, takesOver: true);
        }
        catch
        {
            Forget();
            throw;
        }
    }

    /// <summary>The copy, in this version's tables.</summary>
    internal AgentStore Store { get; }

    /// <summary>
    /// Takes the file of an earlier version over on a copy; null where there is none, or one of this version.
    /// </summary>
    /// <param name="copy">The copy's path, in the same folder; what stands there is left over from a trial that never
    /// became healthy.</param>
    /// <exception cref="FormatException">A later version wrote the file, or what it holds cannot be read. It is as it
    /// was.</exception>
    internal static FormerJournal? Of(string path, string copy) =>
        File.Exists(path) && IsFormer(path) ? new FormerJournal(path, copy) : null;

    /// <summary>The copy becomes the agent's file. What the former agent's file held is in it.</summary>
    internal void Keep()
    {
        Store.Dispose();
        // A log beside the former file would be taken for the new one's.
        using (var former = Connect(_path, SqliteOpenMode.ReadWrite))
            Schema.Fold(former);
        if (File.Exists(_path + "-wal"))
            throw new IOException($"{_path} is in use by another program. Stop it; nothing was changed.");
        // The first write to the new file flushes the folder, as SQLite does for a fresh log: nothing is recorded
        // before this is durable.
        File.Move(_copy, _path, overwrite: true);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        Store.Dispose();
        Forget();
    }

    private void Forget()
    {
        foreach (var part in (string[])["", "-wal", "-shm"])
            File.Delete(_copy + part);
    }

    private static bool IsFormer(string path)
    {
        using var connection = Connect(path, SqliteOpenMode.ReadOnly);
        return Schema.IsFormer(connection);
    }

    private static SqliteConnection Connect(string path, SqliteOpenMode mode)
    {
        var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder
            {
                DataSource = path,
                Mode = mode,
                Pooling = false,
            }.ToString()
        );
        connection.Open();
        return connection;
    }
}
