using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Something in the holding would not come out of a copy as it is.</summary>
public sealed class CannotBeCopied : IHazard
{
    private static readonly IReadOnlyList<(DemandKind Kind, string One, string Many)> Reasons =
    [
        (
            DemandKind.Unchangeable,
            "file or folder is marked so that nobody can change it",
            "files or folders are marked so that nobody can change them"
        ),
        (
            DemandKind.Encrypted,
            "file or folder is encrypted by the file system",
            "files or folders are encrypted by the file system"
        ),
        (
            DemandKind.NotHere,
            "file or folder is not stored here as a whole",
            "files or folders are not stored here as a whole"
        ),
        (DemandKind.Mounts, "folder has another volume mounted on it", "folders have other volumes mounted on them"),
    ];

    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "cannot-be-copied",
            Severity.Blocking,
            "Something in the holding would not come out of a copy as it is: marked as unchangeable or append-only, encrypted by the file system, stored elsewhere (in the cloud, deduplicated), or another volume that is mounted inside.",
            "Take the mark or the encryption away, have the files stored here, or unmount the volume; then survey again."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        List<string> found =
        [
            .. Reasons
                .Select(r => (Reason: r, Demand: c.Holding.Demands.Of(r.Kind)))
                .Where(r => r.Demand is not null)
                .Select(r => $"{Words.Count(r.Demand!.Count, r.Reason.One, r.Reason.Many)} (`{r.Demand.Example}`)"),
        ];
        return found.Count == 0
            ? null
            : c.Say(
                Entry,
                $"In {c.Holding.Name} on {c.Machine.Name}, {string.Join("; ", found)}: a copy would not be the same."
            );
    }
}
