using System.Collections.Concurrent;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>
/// What is written in sources while they are copied, by docket. It outlives a docket that is put away for a while, and
/// ends with the agent.
/// </summary>
public sealed class WriteWatches : IDisposable
{
    private readonly ConcurrentDictionary<Guid, IWriteWatch> _watches = new();

    /// <summary>The watch of one docket.</summary>
    internal DocketWrites Of(Guid docket) => new(this, docket);

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var docket in _watches.Keys)
            End(docket);
    }

    /// <summary>A docket's watch ends.</summary>
    internal void End(Guid docket)
    {
        if (_watches.TryRemove(docket, out var watch))
            watch.Dispose();
    }

    /// <summary>The writes that one docket has to know of.</summary>
    internal sealed class DocketWrites(WriteWatches all, Guid docket)
    {
        /// <summary>Begins to watch, before the first look at the source.</summary>
        internal void Begin(IVolume source)
        {
            all.End(docket);
            if (source.WatchWrites() is { } watch)
                all._watches[docket] = watch;
        }

        /// <summary>The files written since <see cref="Begin"/>; null when that is not known.</summary>
        internal IReadOnlySet<ulong>? Written(IVolume source) =>
            all._watches.TryGetValue(docket, out var watch) ? watch.Written(source) : null;
    }
}

/// <summary>What file systems tell of writes.</summary>
internal static class Writes
{
    /// <summary>
    /// Whether, after a flush, the next write to a file sets its change time, and that is fine enough to tell two
    /// apart. File systems in memory and outside the kernel do not promise that, nor do network ones.
    /// </summary>
    internal static bool ShowsEveryWrite(this FileSystemAbilities abilities) =>
        abilities.ReadsPastCache && abilities.TimeStepNanoseconds < 1_000_000;
}
