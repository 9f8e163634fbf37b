using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using System.Threading.Channels;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Service.LiveEvents;

/// <summary>What is known only while it happens: hints for consoles, latest progress, who was seen when.</summary>
public sealed class LiveHub(TimeProvider time)
{
    /// <summary>After this long without a word a machine is silent.</summary>
    public static readonly TimeSpan SilentAfter = TimeSpan.FromSeconds(60);

    private readonly ConcurrentDictionary<Guid, Channel<LiveEvent>> _listeners = new();
    private readonly ConcurrentDictionary<long, Progress> _progress = new();
    private readonly ConcurrentDictionary<Guid, DateTimeOffset> _seen = new();
    private readonly ConcurrentDictionary<Guid, AgentTrouble> _troubles = new();

    // As much as one core takes beside everything else.
    private const double ReportsInASecond = 1_500;
    private const int MostHints = 256,
        MostHintsOfProgress = 64;
    private static readonly TimeSpan ShortestPause = TimeSpan.FromMilliseconds(700),
        LongestPause = TimeSpan.FromSeconds(5);

    // Counted along: the dictionary would take all of its locks for it, and every report asks.
    private int _underWay;

    /// <summary>
    /// How long an agent shall wait before it reports progress again: up to 1,000 relocations under way 0.7 s, with
    /// 3,000 of them 2 s, never more than 5 s.
    /// </summary>
    public TimeSpan ProgressPause =>
        TimeSpan.FromSeconds(
            Math.Clamp(
                Volatile.Read(ref _underWay) / ReportsInASecond,
                ShortestPause.TotalSeconds,
                LongestPause.TotalSeconds
            )
        );

    /// <summary>Tells every console that something changed.</summary>
    public void Say(string kind, object subject) => Say(kind, subject, MostHints);

    /// <param name="most">A listener that has as many hints before it is not told.</param>
    private void Say(string kind, object subject, int most)
    {
        var said = new LiveEvent(kind, Convert.ToString(subject, System.Globalization.CultureInfo.InvariantCulture)!);
        foreach (var listener in _listeners.Values)
            if (most == MostHints || listener.Reader.Count < most)
                listener.Writer.TryWrite(said);
    }

    /// <summary>Hints from now on. A slow listener loses the oldest: they are hints only.</summary>
    public async IAsyncEnumerable<LiveEvent> ListenAsync([EnumeratorCancellation] CancellationToken stop)
    {
        var id = Guid.NewGuid();
        var channel = Channel.CreateBounded<LiveEvent>(
            new BoundedChannelOptions(MostHints) { FullMode = BoundedChannelFullMode.DropOldest }
        );
        _listeners[id] = channel;
        try
        {
            yield return new LiveEvent("listening", "");
            await foreach (var said in channel.Reader.ReadAllAsync(stop))
                yield return said;
        }
        finally
        {
            _listeners.TryRemove(id, out _);
        }
    }

    /// <summary>Keeps the latest progress of a relocation. Hints of it never crowd out others.</summary>
    public void Keep(Progress progress)
    {
        while (
            !(
                _progress.TryGetValue(progress.Relocation, out var before)
                && _progress.TryUpdate(progress.Relocation, progress, before)
            )
        )
        {
            if (!_progress.TryAdd(progress.Relocation, progress))
                continue;
            Interlocked.Increment(ref _underWay);
            break;
        }
        Say("progress", progress.Relocation, MostHintsOfProgress);
    }

    /// <summary>The latest progress, or null.</summary>
    public Progress? ProgressOf(long relocation) => _progress.GetValueOrDefault(relocation);

    /// <summary>The relocation is at rest.</summary>
    public void ForgetProgress(long relocation)
    {
        if (_progress.TryRemove(relocation, out _))
            Interlocked.Decrement(ref _underWay);
    }

    /// <summary>An agent says what keeps it from working; null for nothing.</summary>
    public void Told(Guid machine, AgentTrouble? trouble)
    {
        if (TroubleOf(machine) == trouble)
            return;
        if (trouble is { } told)
            _troubles[machine] = told;
        else
            _troubles.TryRemove(machine, out _);
        Say("machine", machine);
    }

    /// <summary>What keeps a machine's agent from working, a sentence without its end; null for nothing.</summary>
    public string? TroubleInWords(Guid machine) =>
        TroubleOf(machine) switch
        {
            null => null,
            AgentTrouble.DataFolderFull =>
                "its agent has no room for its journal and begins nothing: free space on the volume of its data folder",
            _ => "its agent cannot write its journal and begins nothing: look at its log and its data folder",
        };

    private AgentTrouble? TroubleOf(Guid machine) => _troubles.TryGetValue(machine, out var told) ? told : null;

    /// <summary>A machine was seen.</summary>
    public void Seen(Guid machine)
    {
        var before = LastSeen(machine, null);
        _seen[machine] = time.GetUtcNow();
        if (before is null || time.GetUtcNow() - before > SilentAfter)
            Say("machine", machine);
    }

    /// <summary>When a machine was last seen, counting what storage says.</summary>
    public DateTimeOffset? LastSeen(Guid machine, DateTimeOffset? stored) =>
        _seen.TryGetValue(machine, out var seen) ? seen : stored;

    /// <summary>Whether a machine has been silent for too long.</summary>
    public bool IsSilent(Guid machine, DateTimeOffset? stored) =>
        LastSeen(machine, stored) is not { } seen || time.GetUtcNow() - seen > SilentAfter;
}
