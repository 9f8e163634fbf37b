using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Furlough.Model;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Storage;

/// <summary>Opens the storage for one piece of work. Writers come one after the other, each in a transaction of its own.</summary>
public sealed class Store(IDbContextFactory<FurloughDb> factory) : IDisposable
{
    private readonly SemaphoreSlim _writer = new(1);

    /// <summary>Reads.</summary>
    public async Task<T> ReadAsync<T>(Func<FurloughDb, Task<T>> read, CancellationToken stop)
    {
        await using var db = await factory.CreateDbContextAsync(stop);
        db.ChangeTracker.QueryTrackingBehavior = QueryTrackingBehavior.NoTracking;
        return await read(db);
    }

    /// <summary>Writes; everything that <paramref name="write"/> changes is stored, or nothing.</summary>
    public async Task<T> WriteAsync<T>(Func<FurloughDb, Task<T>> write, CancellationToken stop)
    {
        await _writer.WaitAsync(stop);
        try
        {
            await using var db = await factory.CreateDbContextAsync(stop);
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            var result = await write(db);
            await db.SaveChangesAsync(stop);
            await transaction.CommitAsync(stop);
            return result;
        }
        finally
        {
            _writer.Release();
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _writer.Dispose();
}

/// <summary>JSON columns.</summary>
public static class Column
{
    /// <summary>To text.</summary>
    public static string Write<T>(T value, JsonTypeInfo<T> type) => JsonSerializer.Serialize(value, type);

    /// <summary>From text.</summary>
    public static T Read<T>(string text, JsonTypeInfo<T> type) => JsonSerializer.Deserialize(text, type)!;

    /// <summary>A survey, or null.</summary>
    public static Survey? SurveyOf(MachineRow machine) => machine.Survey is null ? null : Read(machine.Survey, ModelJson.Default.Survey);

    /// <summary>What is to be left free on a machine's volumes, in bytes by volume.</summary>
    public static IReadOnlyDictionary<string, long> ReservesOf(MachineRow machine) =>
        machine.Reserves is null ? new Dictionary<string, long>() : Read(machine.Reserves, ModelJson.Default.IReadOnlyDictionaryStringInt64);

    /// <summary>How a machine's volumes fill up, by volume.</summary>
    public static IReadOnlyDictionary<string, Growth> GrowthOf(MachineRow machine) =>
        machine.Growth is null ? new Dictionary<string, Growth>() : Read(machine.Growth, ModelJson.Default.IReadOnlyDictionaryStringGrowth);

    /// <summary>What was planned for a relocation.</summary>
    public static PlannedRelocation PlannedOf(RelocationRow row) => JsonSerializer.Deserialize<PlannedRelocation>(row.Planned, JsonSerializerOptions.Web)!;
}
