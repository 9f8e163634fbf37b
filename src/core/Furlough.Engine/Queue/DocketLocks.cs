using Furlough.Model;

namespace Furlough.Engine.Queue;

/// <summary>
/// What a docket needs for itself while it is carried out. Two dockets that need the same thing follow each other.
/// </summary>
/// <param name="Account">The account that it locks out, whose notices and sign-in it handles; null where it touches
/// none.</param>
/// <param name="Containers">The settings files that it edits.</param>
/// <param name="Places">What it reads, writes or removes.</param>
/// <param name="Volumes">The volumes, by identity, between which it moves many bytes; empty where it only renames or
/// edits.</param>
public sealed record DocketLocks(
    string? Account,
    IReadOnlySet<string> Containers,
    IReadOnlyList<Place> Places,
    IReadOnlySet<string> Volumes
)
{
    /// <summary>What a docket needs.</summary>
    public static DocketLocks Of(Docket docket) =>
        new(
            docket.Work.MovesHolding() && !docket.Holding.IsShared ? docket.Holding.Account : null,
            // All other work only looks where the settings lead.
            docket.Work.MovesHolding()
                ? docket.Pointers.Select(p => ContainerOf(docket, p.Address)).ToHashSet(StringComparer.Ordinal)
                : new HashSet<string>(),
            [docket.Source, docket.Target],
            MovesBytes(docket)
                ? new HashSet<string>([docket.Source.Volume, docket.Target.Volume])
                : new HashSet<string>()
        );

    /// <summary>The first thing, volumes left aside, that both need, in words; null where there is none.</summary>
    public string? SharedWith(DocketLocks other)
    {
        if (Account is not null && Account == other.Account)
            return $"the account {Account}";
        if (Containers.FirstOrDefault(other.Containers.Contains) is { } container)
            return $"the settings in {container[(container.IndexOf('\0') + 1)..]}";
        return Places.Any(mine => other.Places.Any(theirs => mine.IsInside(theirs) || theirs.IsInside(mine)))
            ? "the same folders"
            : null;
    }

    /// <summary>
    /// A discard compares and removes; it never had to wait for copies, and moves nothing between volumes.
    /// </summary>
    private static bool MovesBytes(Docket docket) =>
        docket.Work is not (DocketWork.Discard or DocketWork.FallBack)
        && docket.Method is Method.Cold or Method.Warm or Method.Adopt;

    /// <summary>
    /// The accounts' own homes are set in one file for all of them, and a path from the root on is the same file for
    /// everybody; what else belongs to an account is its own.
    /// </summary>
    private static string ContainerOf(Docket docket, PointerAddress address) =>
        docket.Holding.Kind == HoldingKind.Home || address.Account.Length == 0 || address.Container.StartsWith('/')
            ? "\0" + address.Container
            : $"{address.Account}\0{address.Container}";
}
