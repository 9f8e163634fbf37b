using Furlough.Protocol;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Storage;

/// <summary>
/// The service's data folder: one service at a time works with it, nobody else may read it, and what belongs together
/// is there or nothing is.
/// </summary>
public sealed class DataFolder : IDisposable
{
    /// <summary>
    /// Stands there until the first start has made everything: what it has made is nothing yet that anybody relied on.
    /// </summary>
    private const string Beginning = "beginning";

    /// <summary>The storage, and the service's identity.</summary>
    internal const string Database = "furlough.db",
        Key = "service-key";

    /// <summary>Folder of the keys of console sessions.</summary>
    internal const string SessionKeys = "session-keys";

    /// <summary>Folder in which backups are made.</summary>
    internal const string Working = "backing-up";

    /// <summary>Folder of a restore that has not come to its end.</summary>
    internal const string Restoring = "restoring";
    private readonly FileStream _lock;
    private readonly string _path;

    private DataFolder(FileStream alone, string path) => (_lock, _path) = (alone, path);

    /// <summary>Takes the folder, and makes it where it is missing.</summary>
    /// <exception cref="IOException">Another service works with it, or a part of it is missing: says which and what to
    /// do.</exception>
    public static DataFolder Take(string path)
    {
        PrivateFolder.Make(path);
        foreach (var file in Directory.GetFiles(path))
            if (!OperatingSystem.IsWindows())
                File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        FileStream alone;
        try
        {
            alone = new FileStream(Path.Combine(path, "lock"), Locked());
        }
        catch (IOException)
        {
            throw new IOException(
                $"Another service works with the data folder {path}. Stop that one first, or give this one a folder of its own with --data."
            );
        }
        var folder = new DataFolder(alone, path);
        try
        {
            RequireWhole(path);
            // Of a backup that was cut short.
            if (Directory.Exists(Path.Combine(path, Working)))
                Directory.Delete(Path.Combine(path, Working), recursive: true);
            // What SQLite makes beside it takes its mode.
            if (!File.Exists(Path.Combine(path, Database)))
                PrivateFile.Write(Path.Combine(path, Database), "");
            return folder;
        }
        catch
        {
            folder.Dispose();
            throw;
        }
    }

    private static FileStreamOptions Locked()
    {
        var options = new FileStreamOptions
        {
            Mode = FileMode.OpenOrCreate,
            Access = FileAccess.ReadWrite,
            Share = FileShare.None,
        };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        return options;
    }

    /// <summary>
    /// A service that began again beside a half of its former self would be a stranger to all its agents.
    /// </summary>
    private static void RequireWhole(string path)
    {
        if (Directory.Exists(Path.Combine(path, Restoring)))
            throw new IOException(
                $"a restore into {path} was cut short. Run `furlough service restore` again with the same backup."
            );
        var (database, key, beginning) = (
            Path.Combine(path, Database),
            Path.Combine(path, Key),
            Path.Combine(path, Beginning)
        );
        // A first start that was cut short is begun again. The mark may have come back after a power cut: what machines
        // rely on is never removed.
        if (
            File.Exists(beginning)
            && Count(database, "SELECT count(*) FROM sqlite_master WHERE name='Machines'") > 0
            && Count(database, "SELECT count(*) FROM Machines") > 0
        )
            File.Delete(beginning);
        if (File.Exists(beginning))
            foreach (var half in (string[])[key, database + "-wal", database + "-shm", database])
                File.Delete(half);
        var (hasKey, tables) = (
            File.Exists(key),
            Count(database, "SELECT count(*) FROM sqlite_master WHERE type='table'")
        );
        if (hasKey && tables is null or 0)
            throw new IOException(
                $"{path} has the service's key but "
                    + $"{(tables is null ? $"no {Database}" : $"an empty {Database}")}: the service knew machines once "
                    + $"and would know none now. Put {Database} back from the backup that belongs to the key, or begin "
                    + "again in an empty folder."
            );
        if (!hasKey && tables > 0)
            throw new IOException(
                $"{path} has {Database} but no {Key}: no agent would believe a service with another key. Put "
                    + $"{Key} back from the backup, or begin again in an empty folder."
            );
        if (!hasKey && !File.Exists(beginning))
            PrivateFile.Write(beginning, "The first start of this service has not come to its end.\n");
    }

    /// <summary>Refuses a database that a newer version has written.</summary>
    /// <exception cref="IOException">It is newer.</exception>
    public static async Task RequireKnownAsync(FurloughDb db, CancellationToken stop)
    {
        if (!await db.Database.CanConnectAsync(stop))
            return;
        var known = db.Database.GetMigrations().ToHashSet(StringComparer.Ordinal);
        if ((await db.Database.GetAppliedMigrationsAsync(stop)).FirstOrDefault(m => !known.Contains(m)) is { } newer)
            throw new IOException(
                $"{Database} was written by a newer version of Furlough ({newer}). Install that version again, or "
                    + "put the backup from before it back."
            );
    }

    /// <summary>What is free on the volume of a data folder, in bytes.</summary>
    internal static long FreeBytes(string data) => new DriveInfo(Path.GetFullPath(data)).AvailableFreeSpace;

    /// <summary>Everything that a service needs has been made: from now on a part that is missing was lost.</summary>
    public void IsWhole() => File.Delete(Path.Combine(_path, Beginning));

    /// <inheritdoc/>
    public void Dispose() => _lock.Dispose();

    /// <summary>What a question to a database counts; null where there is none.</summary>
    private static long? Count(string file, string question)
    {
        if (!File.Exists(file))
            return null;
        using var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder
            {
                DataSource = file,
                Mode = SqliteOpenMode.ReadOnly,
                Pooling = false,
            }.ToString()
        );
        connection.Open();
        using var command = connection.CreateCommand();
#pragma warning disable CA2100 // The questions stand in this file.
        command.CommandText = question;
#pragma warning restore CA2100
        return (long)command.ExecuteScalar()!;
    }
}
