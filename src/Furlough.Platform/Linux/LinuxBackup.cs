using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// What the machine's backup program says of itself, in a file that its own closing script writes:
/// <c>{"lastDone": "2026-03-02T03:10:00Z", "covers": ["/home", "/srv/data"]}</c>.
/// </summary>
internal static class LinuxBackup
{
    internal const string FileName = "/var/lib/furlough/backup.json";
    private const int MostBytes = 256 * 1024;

    /// <summary>
    /// What it says; null when there is no such file, or none that can be read, which becomes a note.
    /// </summary>
    internal static BackupFacts? Read(LinuxVolumes volumes, List<string> notes)
    {
        var file = new FileInfo(volumes.Root + FileName);
        if (!file.Exists)
            return null;
        try
        {
            if (file.Length > MostBytes)
                throw new JsonException($"it has more than {MostBytes} bytes");
            var said = JsonSerializer.Deserialize(File.ReadAllBytes(file.FullName), BackupJson.Default.BackupSaid)
                ?? throw new JsonException("it says nothing");
            return new BackupFacts(
                said.LastDone,
                [
                    .. said
                        .Covers.Where(c => c.StartsWith('/'))
                        .Select(c => volumes.PlaceOf(c.Length > 1 ? c.TrimEnd('/') : c))
                        .OfType<Place>(),
                ]
            );
        }
        catch (Exception unread) when (unread is IOException or UnauthorizedAccessException or JsonException)
        {
            notes.Add($"What `{FileName}` says of backups was not read: {unread.Message}");
            return null;
        }
    }
}

/// <summary>The file of <see cref="LinuxBackup"/>.</summary>
internal sealed record BackupSaid(DateTimeOffset? LastDone, IReadOnlyList<string> Covers);

/// <summary>Source-generated JSON of that file.</summary>
[JsonSourceGenerationOptions(
    JsonSerializerDefaults.Web,
    RespectNullableAnnotations = true,
    RespectRequiredConstructorParameters = true
)]
[JsonSerializable(typeof(BackupSaid))]
internal sealed partial class BackupJson : JsonSerializerContext;
