using System.Formats.Tar;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Protocol;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.Data.Sqlite;

namespace Furlough.Service.Backups;

/// <summary>
/// Makes backups of a service's data folder, also while the service works: a tar archive, compressed (gzip), and closed
/// with a passphrase where one is given.
/// </summary>
public static class Backup
{
    /// <summary>The archive's first file.</summary>
    internal const string FactsFile = "backup.json";

    internal const string Database = DataFolder.Database;

    /// <summary>What belongs to a service beside its database; what is not there is left out.</summary>
    private static readonly string[] Kept =
    [
        DataFolder.Key,
        TlsKeys.FileName,
        Generations.FileName,
        StewardToken.FileName,
    ];

    /// <summary>Makes one.</summary>
    /// <param name="data">The data folder.</param>
    /// <param name="file">Where it is put; nothing may be there.</param>
    /// <param name="passphrase">Null for none.</param>
    /// <exception cref="IOException">It cannot be made; nothing is left at <paramref name="file"/>.</exception>
    public static BackupFacts Make(string data, string file, string? passphrase, DateTimeOffset now)
    {
        if (!File.Exists(Path.Combine(data, Database)) || !File.Exists(Path.Combine(data, DataFolder.Key)))
            throw new IOException($"{data} does not hold a service's data.");
        if (File.Exists(file) || Directory.Exists(file))
            throw new IOException($"there is something at {file} already. Give another name.");
        var work = Path.Combine(
            PrivateFolder.Make(Path.Combine(data, DataFolder.Working)).FullName,
            $"{Guid.NewGuid():N}"
        );
        PrivateFolder.Make(work);
        var fresh = file + ".new";
        try
        {
            var machines = Snapshot(data, Path.Combine(work, Database));
            foreach (var name in (string[])[.. Kept, .. SessionKeys(data)])
                Copy(data, work, name);
            var facts = new BackupFacts(
                1,
                typeof(Backup).Assembly.GetName().Version!.ToString(3),
                now,
                SigningKey.LoadOrMake(Path.Combine(work, DataFolder.Key)).Public,
                machines,
                Directory
                    .EnumerateFiles(work, "*", SearchOption.AllDirectories)
                    .ToDictionary(f => Path.GetRelativePath(work, f), DigestOf)
            );
            Write(work, fresh, facts, passphrase);
            File.Move(fresh, file, overwrite: false);
            return facts;
        }
        catch
        {
            File.Delete(fresh);
            throw;
        }
        finally
        {
            Directory.Delete(work, recursive: true);
        }
    }

    internal static string DigestOf(string file)
    {
        using var content = File.OpenRead(file);
        return Convert.ToHexStringLower(SHA256.HashData(content));
    }

    private static IEnumerable<string> SessionKeys(string data)
    {
        var keys = Path.Combine(data, DataFolder.SessionKeys);
        return Directory.Exists(keys)
            ? Directory.EnumerateFiles(keys, "*.xml").Select(f => Path.GetRelativePath(data, f))
            : [];
    }

    private static void Copy(string data, string work, string name)
    {
        var source = Path.Combine(data, name);
        if (!File.Exists(source))
            return;
        var copy = Path.Combine(work, name);
        PrivateFolder.Make(Path.GetDirectoryName(copy)!);
        File.Copy(source, copy);
    }

    /// <summary>A copy of the database as it is at one moment; nobody who writes meanwhile has to wait.</summary>
    /// <returns>How many machines it knows.</returns>
    private static int Snapshot(string data, string copy)
    {
        using var database = Open(Path.Combine(data, Database));
        using (var into = database.CreateCommand())
        {
            into.CommandText = "VACUUM INTO $copy";
            into.Parameters.AddWithValue("$copy", copy);
            into.ExecuteNonQuery();
        }
        using var snapshot = Open(copy);
        using var count = snapshot.CreateCommand();
        count.CommandText = "SELECT count(*) FROM Machines";
        return (int)(long)count.ExecuteScalar()!;
    }

    internal static SqliteConnection Open(string file)
    {
        var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder
            {
                DataSource = file,
                Mode = SqliteOpenMode.ReadWrite,
                Pooling = false,
                DefaultTimeout = 60,
            }.ToString()
        );
        connection.Open();
        return connection;
    }

    private static void Write(string work, string fresh, BackupFacts facts, string? passphrase)
    {
        var archive = Path.Combine(work, "archive");
        using (var file = Create(archive))
        using (var packed = new GZipStream(file, CompressionLevel.Optimal))
        using (var tar = new TarWriter(packed, TarEntryFormat.Pax))
        {
            Add(
                tar,
                FactsFile,
                new MemoryStream(JsonSerializer.SerializeToUtf8Bytes(facts, BackupJson.Default.BackupFacts))
            );
            foreach (var name in facts.Files.Keys.Order(StringComparer.Ordinal))
                using (var content = File.OpenRead(Path.Combine(work, name)))
                    Add(tar, name, content);
        }
        File.Delete(fresh);
        using var made = Create(fresh);
        using (var content = File.OpenRead(archive))
            if (passphrase is null)
                content.CopyTo(made);
            else
                PassphraseFile.Write(content, made, passphrase);
        made.Flush(flushToDisk: true);
    }

    private static void Add(TarWriter tar, string name, Stream content) =>
        tar.WriteEntry(
            new PaxTarEntry(TarEntryType.RegularFile, name)
            {
                Mode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
                DataStream = content,
            }
        );

    /// <summary>A new file that only its owner may read.</summary>
    internal static FileStream Create(string file)
    {
        var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        return new FileStream(file, options);
    }
}
