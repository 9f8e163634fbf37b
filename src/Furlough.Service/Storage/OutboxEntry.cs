using System.Text.Json;
using System.Text.Json.Serialization;

namespace Furlough.Service.Storage;

/// <summary>Consoles hear that something changed.</summary>
/// <param name="Kind">"run", "relocation", "machine" and so on.</param>
/// <param name="Subject">Its number or identity.</param>
public sealed record Hint(string Kind, string Subject);

/// <summary>
/// What every instance of the service has to hear once a transaction is durable. Hearing it twice does no harm.
/// </summary>
/// <param name="Woken">Machines for whose agents something waits.</param>
/// <param name="Touched">Machines about which something was stored.</param>
/// <param name="Sessions">Machines whose session began or ended.</param>
/// <param name="Rested">Relocations that came to rest.</param>
/// <param name="Said">What consoles hear.</param>
/// <param name="Kinds">Kind cards changed.</param>
public sealed record OutboxEntry(
    IReadOnlyList<Guid> Woken,
    IReadOnlyList<Guid> Touched,
    IReadOnlyList<Guid> Sessions,
    IReadOnlyList<long> Rested,
    IReadOnlyList<Hint> Said,
    bool Kinds
)
{
    /// <summary>Someone has missed entries: nothing that was kept in memory may be believed.</summary>
    public static OutboxEntry Anything { get; } =
        new([], [], [], [], [new Hint("anything", "")], true) { Missed = true };

    /// <summary>Entries before this one were missed.</summary>
    [JsonIgnore]
    public bool Missed { get; private init; }

    /// <summary>No one need hear it.</summary>
    [JsonIgnore]
    public bool IsEmpty =>
        Woken.Count + Touched.Count + Sessions.Count + Rested.Count + Said.Count == 0 && !Kinds && !Missed;
}

[JsonSourceGenerationOptions(JsonSerializerDefaults.Web)]
[JsonSerializable(typeof(OutboxEntry))]
internal sealed partial class OutboxJson : JsonSerializerContext;
