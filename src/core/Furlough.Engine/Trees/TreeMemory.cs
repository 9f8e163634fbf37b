using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>
/// What measuring a tree found in each of its folders. A folder whose own times did not change has the same entries as
/// before, so its files are not looked at again. A file that grew in place does not show in its folder: therefore every
/// <see cref="Turn"/>th folder is looked into anyway, another part each time, and after as many measurings all of them.
/// Forgotten with the process. Not for several threads at once.
/// </summary>
public sealed class TreeMemory(TimeProvider time)
{
    /// <summary>One folder of so many is looked into although nothing seems changed.</summary>
    private const ulong Turn = 32;

    /// <summary>A tree of more folders is measured again each time.</summary>
    private const int Most = 200_000;

    /// <summary>
    /// A folder that changed so shortly before it was looked at may have changed again within the same tick of its
    /// clock.
    /// </summary>
    private static readonly long DoubtNs = 2_000_000_000;

    private Dictionary<(ulong, ulong), FolderSums> _before = [],
        _now = [];
    private IReadOnlyList<int> _clusters = [];
    private IReadOnlySet<SharedFile>? _missing;
    private ulong _round;
    private long _nowNs;

    internal void Begin(IReadOnlyList<int> clusters)
    {
        if (!_clusters.SequenceEqual(clusters))
            _before = [];
        _clusters = [.. clusters];
        _now = [];
        _round++;
        _nowNs = (time.GetUtcNow().UtcTicks - DateTimeOffset.UnixEpoch.UtcTicks) * 100;
    }

    /// <summary>What is known of a folder, or null when it must be looked into.</summary>
    internal FolderSums? Find(in NodeFacts facts, string path) =>
        _before.TryGetValue((facts.Device, facts.FileId), out var known)
        && known.Path == path
        && known.ModifiedNs == facts.ModifiedNs
        && known.ChangedNs == facts.ChangedNs
        && (facts.FileId + _round) % Turn != 0
            ? known
            : null;

    internal void Keep(in NodeFacts facts, FolderSums sums)
    {
        if (_now.Count < Most && facts.ChangedNs < _nowNs - DoubtNs)
            _now[(facts.Device, facts.FileId)] = sums;
    }

    /// <summary>
    /// Ends a measuring. False when files have names outside the tree that had none before: then nothing known may be
    /// trusted.
    /// </summary>
    internal bool End(IReadOnlySet<SharedFile> missing)
    {
        var trusted = _missing is null || missing.IsSubsetOf(_missing);
        (_before, _now, _missing) = (_now, [], missing);
        return trusted;
    }

    internal void Forget() => (_before, _missing) = ([], null);
}
