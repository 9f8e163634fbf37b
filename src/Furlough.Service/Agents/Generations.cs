using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;

namespace Furlough.Service.Agents;

/// <summary>
/// The service's own <see cref="Generation"/>, in a file of its data folder, and whether a machine has proved that another
/// service with a higher one took this one's place.
/// </summary>
public sealed class Generations(ServiceOptions options, SigningKey identity, Store store, TimeProvider time)
{
    /// <summary>The file's name in the data folder; it is missing until a first restore.</summary>
    public const string FileName = "generation";

    private readonly Lock _lock = new();
    private volatile GenerationFile _kept = ReadFrom(options.Data);

    /// <summary>What sessions carry.</summary>
    public string Signed => field ??= new Generation(_kept.Number).Sign(identity);

    /// <summary>The service that machines follow instead of this one; null where they follow this one.</summary>
    public ReplacedBy? Replaced => _kept.ReplacedBy;

    /// <summary>Learns from a machine whether this service was replaced; what this identity has not signed counts for
    /// nothing.</summary>
    /// <exception cref="RefusedException"><c>service-replaced</c></exception>
    internal async Task HearAsync(string machine, string? signed, CancellationToken stop)
    {
        long told;
        try
        {
            told = Generation.Read(identity.Public, signed).Number;
        }
        catch (SignatureException)
        {
            return;
        }
        if (told <= _kept.Number)
            return;
        if (Keep(new ReplacedBy(told, machine, time.GetUtcNow())))
            await store.WriteAsync(
                db =>
                {
                    db.Record(
                        time.GetUtcNow(),
                        machine,
                        HistoryEvent.ServiceReplaced,
                        About.Service,
                        detail: "it follows a service that was restored from a backup of this one"
                    );
                    db.Effects.Say("service", 0);
                    return Task.FromResult(0);
                },
                stop
            );
        throw Refused();
    }

    /// <summary>Refuses work of a service that was replaced.</summary>
    /// <exception cref="RefusedException"><c>service-replaced</c></exception>
    public void RequireFollowed()
    {
        if (Replaced is not null)
            throw Refused();
    }

    private static RefusedException Refused() =>
        RefusedException.Conflict(
            "service-replaced",
            "This service was replaced by one that was restored from its backup: the machines follow that one, and nothing "
                + "can be ordered here any more.",
            "Use the restored service, and stop this one. If this is the one to go on with, stop it, back it up and restore "
                + "it from that backup."
        );

    private bool Keep(ReplacedBy by)
    {
        lock (_lock)
        {
            if (_kept.ReplacedBy is { } known && known.Number >= by.Number)
                return false;
            var kept = _kept with { ReplacedBy = by };
            Write(options.Data, kept);
            _kept = kept;
            return true;
        }
    }

    /// <summary>Makes a data folder that was restored one of a higher generation than any that it knows of.</summary>
    internal static long Raise(string data, DateTimeOffset now)
    {
        var kept = ReadFrom(data);
        var known = Math.Max(kept.Number, kept.ReplacedBy?.Number ?? 0);
        // Two that are restored from one backup differ too: the later one is followed.
        var raised = new GenerationFile(Math.Max(known + 1, now.ToUnixTimeSeconds()), null);
        Write(data, raised);
        return raised.Number;
    }

    private static GenerationFile ReadFrom(string data)
    {
        var file = Path.Combine(data, FileName);
        if (!File.Exists(file))
            return new GenerationFile(0, null);
        try
        {
            return JsonSerializer.Deserialize(File.ReadAllText(file), GenerationJson.Default.GenerationFile)
                ?? throw new JsonException("it is empty");
        }
        catch (JsonException damaged)
        {
            throw new IOException(
                $"{file} is damaged ({damaged.Message}). Restore the service from its newest backup in another folder."
            );
        }
    }

    private static void Write(string data, GenerationFile kept) =>
        PrivateFile.Write(
            Path.Combine(data, FileName),
            JsonSerializer.Serialize(kept, GenerationJson.Default.GenerationFile) + "\n"
        );
}

/// <summary>The file of the generation.</summary>
internal sealed record GenerationFile(long Number, ReplacedBy? ReplacedBy);

[JsonSourceGenerationOptions(RespectNullableAnnotations = true, RespectRequiredConstructorParameters = true)]
[JsonSerializable(typeof(GenerationFile))]
internal sealed partial class GenerationJson : JsonSerializerContext;
