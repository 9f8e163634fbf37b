using System.Diagnostics;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using System.Threading.Channels;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.LiveEvents;
using Furlough.Service.Metrics;
using Furlough.Service.Relocations;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage;

namespace Furlough.Service.Storage;

/// <summary>
/// Opens the storage for one piece of work. Pieces that write come one after the other; those that wait together share
/// one transaction and its flush, but each is stored or refused separately, and nobody hears of its end before it is
/// durable. What changed under a piece meanwhile, by another instance, makes it run again.
/// </summary>
public sealed class Store : IAsyncDisposable
{
    private const int MostAtATime = 64,
        MostAttempts = 3;

    /// <summary>
    /// Each reader has pages of the storage in memory of its own; more of them at once would not be quicker.
    /// </summary>
    private const int MostReaders = 16;

    private readonly IDbContextFactory<FurloughDb> _factory;
    private readonly Instance _instance;
    private readonly LiveHub _live;
    private readonly DocketSignals _signals;
    private readonly bool _rehearses;
    private readonly ILogger _log;
    private readonly Channel<Piece> _pieces = Channel.CreateUnbounded<Piece>(
        new UnboundedChannelOptions { SingleReader = true }
    );
    private readonly SemaphoreSlim _readers = new(MostReaders);
    private readonly Task _writing;

    /// <param name="rehearsal">Whether every piece that writes runs once in vain before; null for no.</param>
    public Store(
        IDbContextFactory<FurloughDb> factory,
        Instance instance,
        LiveHub live,
        DocketSignals signals,
        ILogger<Store> log,
        Rehearsal? rehearsal = null
    )
    {
        (_factory, _instance, _live, _signals, _log) = (factory, instance, live, signals, log);
        _rehearses = rehearsal is { Wanted: true };
        _writing = Task.Run(WriteAllAsync);
    }

    /// <summary>This instance or another one has stored something.</summary>
    public event Action<OutboxEntry>? Stored;

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

    /// <summary>The same for work that one instance does at a time.</summary>
    /// <exception cref="LeaseLostException">Another one does it now.</exception>
    public Task<T> WriteAsync<T>(Lease lease, Func<FurloughDb, Task<T>> write, CancellationToken stop) =>
        WriteAsync(
            async db =>
            {
                await lease.RequireAsync(db, stop);
                return await write(db);
            },
            stop
        );

    /// <summary>What follows from something that was stored is done in this process.</summary>
    internal void Hear(OutboxEntry entry)
    {
        Stored?.Invoke(entry);
        if (entry.Missed)
            _signals.RaiseAll();
        _signals.Raise(entry.Woken);
        foreach (var relocation in entry.Rested)
            _live.ForgetProgress(relocation);
        foreach (var hint in entry.Said)
            _live.Say(hint.Kind, hint.Subject);
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
        OutboxEntry stored;
        var began = Stopwatch.GetTimestamp();
        await using var db = await _factory.CreateDbContextAsync();
        db.Database.AutoSavepointsEnabled = false;
        await using (var transaction = await db.Database.BeginTransactionAsync())
        {
            foreach (var piece in together)
                await TryAsync(piece, db, transaction);
            stored = Effects.Together([.. together.Select(p => p.Effects)]);
            await Outbox.AppendAsync(db, _instance, stored, CancellationToken.None);
            await transaction.CommitAsync();
        }
        Measures.StorageWrite.Record(Stopwatch.GetElapsedTime(began).TotalSeconds);
        Hear(stored);
        foreach (var piece in together)
        {
            foreach (var entry in piece.Effects.Recorded)
                Log(entry);
            piece.Tell();
        }
    }

    /// <summary>The history is the log of what was done; each event has a name of its own.</summary>
    private void Log(HistoryRow entry) =>
        _log.Log(
            LogLevel.Information,
            new EventId(0, entry.Event.Word()),
            "{By:l}: {Event:l} {Subject:l}{More:l} ({Correlation:l})",
            entry.By,
            entry.Event.InWords(),
            entry.Subject.InWords(),
            (entry.To is null ? "" : $", {entry.From} → {entry.To}")
                + (entry.Detail is null ? "" : $", {entry.Detail}"),
            entry.Correlation ?? "no call"
        );

    private async Task TryAsync(Piece piece, FurloughDb db, IDbContextTransaction transaction)
    {
        if (_rehearses)
            await OnceAsync(keep: false);
        for (var attempt = 1; await OnceAsync(keep: true) == Outcome.Overtaken && attempt < MostAttempts; attempt++) { }

        async Task<Outcome> OnceAsync(bool keep)
        {
            await transaction.CreateSavepointAsync("piece");
            var outcome = await piece.TryAsync(db);
            if (!keep || outcome != Outcome.Stored)
                await transaction.RollbackToSavepointAsync("piece");
            await transaction.ReleaseSavepointAsync("piece");
            db.ChangeTracker.Clear();
            return outcome;
        }
    }

    private enum Outcome
    {
        Stored,

        /// <summary>It was refused or stopped.</summary>
        Refused,

        /// <summary>What it had read has changed meanwhile.</summary>
        Overtaken,
    }

    /// <summary>A piece of work that writes.</summary>
    private abstract class Piece
    {
        /// <summary>Of the call that asked for it; null where none did.</summary>
        protected string? Correlation { get; } = Activity.Current?.TraceId.ToHexString();

        /// <summary>What follows from it; nothing where it was refused.</summary>
        public Effects Effects { get; protected set; } = new();

        /// <summary>Does it; what was not stored has to be taken back.</summary>
        public abstract Task<Outcome> TryAsync(FurloughDb db);

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

        public override async Task<Outcome> TryAsync(FurloughDb db)
        {
            (_refused, Effects) = (null, new Effects());
            try
            {
                stop.ThrowIfCancellationRequested();
                var effects = db.BeginUnit(Correlation);
                _result = await write(db);
                await db.SaveChangesAsync(stop);
                Effects = effects;
                return Outcome.Stored;
            }
            catch (Exception refused)
            {
                if (refused is not DbUpdateConcurrencyException)
                {
                    _refused = refused;
                    return Outcome.Refused;
                }
                _refused = RefusedException.Conflict(
                    "changed-meanwhile",
                    "What you change was changed by others at the same time; nothing of yours was stored.",
                    "Look at it again, then try again."
                );
                return Outcome.Overtaken;
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

/// <summary>For tests: what a unit of work leaves outside of storage shows when it runs once in vain before.</summary>
public sealed record Rehearsal(bool Wanted);

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

    /// <summary>Rules for rooms as a column holds them.</summary>
    public static string WriteRules(IReadOnlyList<RoomRule> rules) =>
        JsonSerializer.Serialize(rules, JsonSerializerOptions.Web);

    /// <summary>The same from text.</summary>
    public static IReadOnlyList<RoomRule> ReadRules(string rules) =>
        JsonSerializer.Deserialize<List<RoomRule>>(rules, JsonSerializerOptions.Web)!;

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
