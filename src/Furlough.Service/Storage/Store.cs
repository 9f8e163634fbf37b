using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using System.Threading.Channels;
using Furlough.Model;
using Furlough.Service.Agents;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Storage;

/// <summary>
/// Opens the storage for one piece of work. Pieces that write come one after the other; those that wait together share
/// one transaction and its flush, but each is stored or refused separately, and nobody hears of its end before it is
/// durable.
/// </summary>
public sealed class Store : IAsyncDisposable
{
    private const int MostAtATime = 64;

    /// <summary>
    /// Each reader has pages of the storage in memory of its own; more of them at once would not be quicker.
    /// </summary>
    private const int MostReaders = 16;

    private readonly IDbContextFactory<FurloughDb> _factory;
    private readonly LiveHub _live;
    private readonly DocketSignals _signals;
    private readonly Channel<Piece> _pieces = Channel.CreateUnbounded<Piece>(
        new UnboundedChannelOptions { SingleReader = true }
    );
    private readonly SemaphoreSlim _readers = new(MostReaders);
    private readonly Task _writing;

    public Store(IDbContextFactory<FurloughDb> factory, LiveHub live, DocketSignals signals)
    {
        (_factory, _live, _signals) = (factory, live, signals);
        _writing = Task.Run(WriteAllAsync);
    }

    /// <summary>Something was stored about these machines, their relocations or their originals.</summary>
    public event Action<IReadOnlyCollection<Guid>>? MachinesChanged;

    /// <summary>Reads; inside of it nothing else may be read or written.</summary>
    public async Task<T> ReadAsync<T>(Func<FurloughDb, Task<T>> read, CancellationToken stop)
    {
        await _readers.WaitAsync(stop);
        try
        {
            return await ReadNowAsync(read, stop);
        }
        finally
        {
            _readers.Release();
        }
    }

    private async Task<T> ReadNowAsync<T>(Func<FurloughDb, Task<T>> read, CancellationToken stop)
    {
        await using var db = await _factory.CreateDbContextAsync(stop);
        db.ChangeTracker.QueryTrackingBehavior = QueryTrackingBehavior.NoTracking;
        // Else every query takes a connection out of the pool and puts it back.
        await db.Database.OpenConnectionAsync(stop);
        return await read(db);
    }

    /// <summary>Writes; everything that <paramref name="write"/> changes is stored, or nothing.</summary>
    public async Task<T> WriteAsync<T>(Func<FurloughDb, Task<T>> write, CancellationToken stop)
    {
        var piece = new Piece<T>(write, stop);
        await _pieces.Writer.WriteAsync(piece, stop);
        return await piece.Result.WaitAsync(stop);
    }

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        _pieces.Writer.TryComplete();
        await _writing;
        _readers.Dispose();
    }

    private async Task WriteAllAsync()
    {
        List<Piece> together = [];
        while (await _pieces.Reader.WaitToReadAsync())
        {
            together.Clear();
            while (together.Count < MostAtATime && _pieces.Reader.TryRead(out var piece))
                together.Add(piece);
            try
            {
                await WriteAsync(together);
            }
            catch (Exception fault)
            {
                foreach (var piece in together)
                    piece.Fail(fault);
            }
        }
    }

    private async Task WriteAsync(List<Piece> together)
    {
        await using var db = await _factory.CreateDbContextAsync();
        db.Database.AutoSavepointsEnabled = false;
        await using (var transaction = await db.Database.BeginTransactionAsync())
        {
            foreach (var piece in together)
            {
                await transaction.CreateSavepointAsync("piece");
                if (!await piece.TryAsync(db))
                    await transaction.RollbackToSavepointAsync("piece");
                await transaction.ReleaseSavepointAsync("piece");
                db.ChangeTracker.Clear();
            }
            await transaction.CommitAsync();
        }
        MachinesChanged?.Invoke([.. together.SelectMany(p => p.Effects.Touched).Distinct()]);
        foreach (var piece in together)
        {
            Follow(piece.Effects);
            piece.Tell();
        }
    }

    private void Follow(Effects effects)
    {
        foreach (var change in effects.Afterwards)
            change();
        _signals.Raise(effects.Woken);
        foreach (var (kind, subject) in effects.Said)
            _live.Say(kind, subject);
    }

    /// <summary>A piece of work that writes.</summary>
    private abstract class Piece
    {
        /// <summary>What follows from it; nothing where it was refused.</summary>
        public Effects Effects { get; protected set; } = new();

        /// <summary>Does it; false when it was refused or stopped and has to be taken back.</summary>
        public abstract Task<bool> TryAsync(FurloughDb db);

        /// <summary>Tells anyone who waits how it ended.</summary>
        public abstract void Tell();

        /// <summary>Nothing of it was stored.</summary>
        public abstract void Fail(Exception fault);
    }

    private sealed class Piece<T>(Func<FurloughDb, Task<T>> write, CancellationToken stop) : Piece
    {
        private readonly TaskCompletionSource<T> _told = new(TaskCreationOptions.RunContinuationsAsynchronously);
        private Exception? _refused;
        private T _result = default!;

        public Task<T> Result => _told.Task;

        public override async Task<bool> TryAsync(FurloughDb db)
        {
            try
            {
                stop.ThrowIfCancellationRequested();
                var effects = db.BeginUnit();
                _result = await write(db);
                await db.SaveChangesAsync(stop);
                Effects = effects;
                return true;
            }
            catch (Exception refused)
            {
                _refused = refused;
                return false;
            }
        }

        public override void Tell()
        {
            if (_refused is null)
                _told.TrySetResult(_result);
            else
                _told.TrySetException(_refused);
        }

        public override void Fail(Exception fault) => _told.TrySetException(fault);
    }
}

/// <summary>JSON columns.</summary>
public static class Column
{
    /// <summary>To text.</summary>
    public static string Write<T>(T value, JsonTypeInfo<T> type) => JsonSerializer.Serialize(value, type);

    /// <summary>From text.</summary>
    public static T Read<T>(string text, JsonTypeInfo<T> type) => JsonSerializer.Deserialize(text, type)!;

    /// <summary>Names as a column holds them.</summary>
    public static string WriteNames(IEnumerable<string> names) =>
        JsonSerializer.Serialize(names.ToList(), JsonSerializerOptions.Web);

    /// <summary>The same from text.</summary>
    public static IReadOnlyList<string> ReadNames(string names) =>
        JsonSerializer.Deserialize<List<string>>(names, JsonSerializerOptions.Web)!;

    /// <summary>What is to be left free on a machine's volumes, in bytes by volume.</summary>
    public static IReadOnlyDictionary<string, long> ReservesOf(MachineRow machine) =>
        machine.Reserves is null
            ? new Dictionary<string, long>()
            : Read(machine.Reserves, ModelJson.Default.IReadOnlyDictionaryStringInt64);

    /// <summary>How a machine's volumes fill up, by volume.</summary>
    public static IReadOnlyDictionary<string, Growth> GrowthOf(MachineRow machine) =>
        machine.Growth is null
            ? new Dictionary<string, Growth>()
            : Read(machine.Growth, ModelJson.Default.IReadOnlyDictionaryStringGrowth);

    /// <summary>What was planned for a relocation.</summary>
    public static PlannedRelocation PlannedOf(RelocationRow row) => PlannedOf(row.Planned);

    /// <summary>The same from its column.</summary>
    public static PlannedRelocation PlannedOf(string planned) =>
        JsonSerializer.Deserialize<PlannedRelocation>(planned, JsonSerializerOptions.Web)!;
}
