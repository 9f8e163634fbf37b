using System.Text.Json;
using System.Text.Json.Serialization;

namespace Furlough.Service.Backups;

/// <summary>What a backup says of itself; its first file.</summary>
/// <param name="Format">The version of this format: 1.</param>
/// <param name="Version">Of Furlough.</param>
/// <param name="Service">Public key of the service's identity.</param>
/// <param name="Files">SHA-256 in hexadecimal digits of each file, by its path in the data folder.</param>
public sealed record BackupFacts(
    int Format,
    string Version,
    DateTimeOffset MadeAt,
    string Service,
    int Machines,
    IReadOnlyDictionary<string, string> Files
);

[JsonSourceGenerationOptions(
    JsonSerializerDefaults.Web,
    WriteIndented = true,
    RespectNullableAnnotations = true,
    RespectRequiredConstructorParameters = true
)]
[JsonSerializable(typeof(BackupFacts))]
internal sealed partial class BackupJson : JsonSerializerContext;
