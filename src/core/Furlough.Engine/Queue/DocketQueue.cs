using System.Collections.Frozen;
using Furlough.Model;

namespace Furlough.Engine.Queue;

/// <summary>A docket that is to be carried out.</summary>
public sealed record QueuedDocket(Docket Docket)
{
    /// <summary>
    /// The agent died while it was under way: nothing else is carried out beside it, so that the next death names its
    /// docket.
    /// </summary>
    public bool Alone { get; init; }

    /// <summary>Its copy is complete: what is left keeps no disk busy for long.</summary>
    public bool IsCopied { get; init; }

    /// <summary>What it needs for itself.</summary>
    internal DocketLocks Locks { get; } = DocketLocks.Of(Docket);

    /// <summary>The volumes that it keeps busy.</summary>
    internal IReadOnlySet<string> Disks => IsCopied ? FrozenSet<string>.Empty : Locks.Volumes;
}

/// <summary>Why a docket is not carried out yet.</summary>
/// <param name="For">The docket that goes first.</param>
/// <param name="Reason">What both need, in words.</param>
public sealed record QueueWait(Docket For, string Reason);

/// <summary>
/// Which dockets of a machine can be carried out side by side: those that need nothing of each other. A docket never
/// overtakes an earlier one that needs the same thing. Immutable; a decision is made from what is open and what is
/// under way.
/// </summary>
/// <param name="MostAtOnce">How many at most, discards not counted: one of them may go on beside the others.</param>
public sealed record DocketQueue(int MostAtOnce)
{
    /// <summary>The dockets that can begin now, beside those that are under way.</summary>
    /// <param name="open">What is to be carried out, in order; those under way among them.</param>
    /// <param name="underWay">What is being carried out.</param>
    public IReadOnlyList<Docket> Startable(IReadOnlyList<QueuedDocket> open, IReadOnlySet<Guid> underWay) =>
        [.. Decide(open, underWay).Where(d => d.Wait is null && !underWay.Contains(d.Docket.Id)).Select(d => d.Docket)];

    /// <summary>
    /// Every open docket, in order, with what it waits for; null for those that are under way or can begin.
    /// </summary>
    public IReadOnlyList<(Docket Docket, QueueWait? Wait)> Decide(
        IReadOnlyList<QueuedDocket> open,
        IReadOnlySet<Guid> underWay
    )
    {
        List<Entry> ahead = [.. open.Where(o => underWay.Contains(o.Docket.Id)).Select(o => new Entry(o, true, true))];
        List<(Docket, QueueWait?)> decided = [];
        foreach (var queued in open)
        {
            if (underWay.Contains(queued.Docket.Id))
            {
                decided.Add((queued.Docket, null));
                continue;
            }
            var waitsForAnother = WaitForAnother(queued, ahead);
            var wait = waitsForAnother ?? WaitForDisk(queued, ahead) ?? WaitForTurn(queued, ahead);
            ahead.Add(new Entry(queued, Runs: wait is null, WantsDisk: waitsForAnother is null));
            decided.Add((queued.Docket, wait));
        }
        return decided;
    }

    private static QueueWait? WaitForAnother(QueuedDocket queued, List<Entry> ahead)
    {
        if (ahead.FirstOrDefault(a => queued.Alone || a.Queued.Alone) is { } alone)
            return new QueueWait(alone.Docket, "to be alone: the agent died while one of the two was under way");
        foreach (var other in ahead)
            if (queued.Locks.SharedWith(other.Queued.Locks) is { } shared)
                return new QueueWait(other.Docket, shared);
        return null;
    }

    /// <summary>
    /// One copy at a time reads or writes a volume: each has workers enough to keep a disk busy, so a second one would
    /// only make both take longer, and keep people locked out for longer. What waits for its account does not keep a
    /// disk from the others meanwhile.
    /// </summary>
    private static QueueWait? WaitForDisk(QueuedDocket queued, List<Entry> ahead) =>
        ahead.FirstOrDefault(a => a.WantsDisk && a.Queued.Disks.Overlaps(queued.Disks)) is { } user
            ? new QueueWait(user.Docket, "the same disk")
            : null;

    private QueueWait? WaitForTurn(QueuedDocket queued, List<Entry> ahead)
    {
        var others = ahead.Where(a => a.Runs && IsDiscard(a.Docket) == IsDiscard(queued.Docket)).ToList();
        return others.Count >= (IsDiscard(queued.Docket) ? 1 : MostAtOnce)
            ? new QueueWait(
                others[0].Docket,
                IsDiscard(queued.Docket) ? "the place of discards" : $"one of the {MostAtOnce} places"
            )
            : null;
    }

    private static bool IsDiscard(Docket docket) => docket.Work == DocketWork.Discard;

    private sealed record Entry(QueuedDocket Queued, bool Runs, bool WantsDisk)
    {
        public Docket Docket => Queued.Docket;
    }
}
