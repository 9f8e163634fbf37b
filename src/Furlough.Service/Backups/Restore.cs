using System.Formats.Tar;
using System.IO.Compression;
using System.Text.Json;
using Furlough.Protocol;
using Furlough.Service.Agents;
using Furlough.Service.Storage;
using Furlough.Service.Tls;

namespace Furlough.Service.Backups;

/// <summary>
/// Puts a service back from a backup, in an empty data folder. What was restored has a higher generation than the service
/// of which the backup was made, so machines follow it instead of that one.
/// </summary>
public static class Restore
{
    private const long MostBytes = 1L << 40;

    /// <summary>Restores one.</summary>
    /// <param name="passphrase">Null for none.</param>
    /// <returns>What the backup says of itself.</returns>
    /// <exception cref="IOException">It cannot be restored; the data folder is as empty as before.</exception>
    public static BackupFacts To(string data, string file, string? passphrase, DateTimeOffset now)
    {
        if (!File.Exists(file))
            throw new IOException($"no backup was found at {file}.");
        RequireEmpty(data);
        PrivateFolder.Make(data);
        var work = Path.Combine(data, DataFolder.Restoring);
        try
        {
            PrivateFolder.Make(work);
            var facts = Unpack(file, work, passphrase);
            Check(work, facts);
            Generations.Raise(work, now);
            TlsKeys.Renumber(work, now);
            // The mark that it is not complete stands until the last file is in its place.
            foreach (var part in Directory.GetFileSystemEntries(work))
                Move(part, Path.Combine(data, Path.GetFileName(part)));
            Directory.Delete(work);
            return facts;
        }
        catch (Exception failed)
        {
            Empty(data);
            if (failed is InvalidDataException or JsonException or EndOfStreamException or FormatException)
                throw new IOException(
                    $"{file} cannot be restored: {failed.Message.TrimEnd('.')}. Nothing was changed."
                );
            throw;
        }
    }

    /// <summary>Nothing of a service is in it but what a restore that was cut short left there.</summary>
    private static void RequireEmpty(string data)
    {
        if (Directory.Exists(Path.Combine(data, DataFolder.Restoring)))
            Empty(data);
        if (Directory.Exists(data) && Directory.EnumerateFileSystemEntries(data).Any())
            throw new IOException(
                $"{data} is not empty. Move what is there to another place: it may be the data of a service that is needed again."
            );
    }

    /// <summary>What marks the folder as unfinished goes last.</summary>
    private static void Empty(string data)
    {
        foreach (
            var part in Directory.GetFileSystemEntries(data).Where(p => Path.GetFileName(p) != DataFolder.Restoring)
        )
            Delete(part);
        Delete(Path.Combine(data, DataFolder.Restoring));
    }

    private static void Move(string from, string to)
    {
        if (Directory.Exists(from))
            Directory.Move(from, to);
        else
            File.Move(from, to);
    }

    private static void Delete(string path)
    {
        if (Directory.Exists(path))
            Directory.Delete(path, recursive: true);
        else
            File.Delete(path);
    }

    private static BackupFacts Unpack(string file, string work, string? passphrase)
    {
        var archive = Path.Combine(work, "archive");
        Open(file, archive, passphrase);
        BackupFacts? facts = null;
        using (var content = File.OpenRead(archive))
        using (var unpacked = new GZipStream(content, CompressionMode.Decompress))
        using (var tar = new TarReader(unpacked))
            while (tar.GetNextEntry() is { } entry)
            {
                if (entry is not { EntryType: TarEntryType.RegularFile, DataStream: { } data, Length: <= MostBytes })
                    throw new InvalidDataException($"`{entry.Name}` in it is not a file");
                if (facts is null)
                    facts = FactsOf(entry.Name, data);
                else
                    Put(entry.Name, data, work, facts);
            }
        File.Delete(archive);
        return facts ?? throw new InvalidDataException("it is empty");
    }

    private static void Open(string file, string archive, string? passphrase)
    {
        using var content = File.OpenRead(file);
        var beginning = new byte[64];
        var read = content.ReadAtLeast(beginning, beginning.Length, throwOnEndOfStream: false);
        content.Position = 0;
        using var opened = Backup.Create(archive);
        if (!PassphraseFile.Is(beginning.AsSpan(..read)))
            content.CopyTo(opened);
        else if (passphrase is null)
            throw new InvalidDataException("it is closed with a passphrase; give it with --backup-passphrase-file");
        else
            PassphraseFile.Read(content, opened, passphrase);
    }

    private static BackupFacts FactsOf(string name, Stream content)
    {
        var facts =
            name == Backup.FactsFile ? JsonSerializer.Deserialize(content, BackupJson.Default.BackupFacts) : null;
        return facts switch
        {
            null => throw new InvalidDataException("it is not a backup of a Furlough service"),
            { Format: not 1 } => throw new InvalidDataException(
                $"Furlough {facts.Version} has made it in a format that this version does not know; install that version"
            ),
            _ => facts,
        };
    }

    private static void Put(string name, Stream content, string work, BackupFacts facts)
    {
        var target = Path.GetFullPath(Path.Combine(work, name));
        if (
            !facts.Files.ContainsKey(name)
            || !target.StartsWith(work + Path.DirectorySeparatorChar, StringComparison.Ordinal)
        )
            throw new InvalidDataException($"`{name}` does not belong in it");
        PrivateFolder.Make(Path.GetDirectoryName(target)!);
        using var file = Backup.Create(target);
        content.CopyTo(file);
        file.Flush(flushToDisk: true);
    }

    private static void Check(string work, BackupFacts facts)
    {
        foreach (var (name, digest) in facts.Files)
            if (!File.Exists(Path.Combine(work, name)) || Backup.DigestOf(Path.Combine(work, name)) != digest)
                throw new InvalidDataException($"`{name}` in it is damaged or missing");
        var key = Path.Combine(work, DataFolder.Key);
        if (!File.Exists(key) || SigningKey.LoadOrMake(key).Public != facts.Service)
            throw new InvalidDataException("the service's key in it is missing or another");
        using var database = Backup.Open(Path.Combine(work, DataFolder.Database));
        using var check = database.CreateCommand();
        check.CommandText = "PRAGMA integrity_check";
        if (check.ExecuteScalar() is not "ok")
            throw new InvalidDataException("the database in it is damaged");
    }
}
