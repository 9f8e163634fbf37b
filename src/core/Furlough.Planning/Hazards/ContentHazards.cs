using System.Text;
using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>What the holding holds, and whether the target can store it.</summary>
internal static class ContentHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "target-lacks-owners",
            Severity.Blocking,
            "The target cannot store owners and permissions, which the source has.",
            "Format the volume with a file system that stores owners, or describe another volume.",
            c =>
                c.Target is null || c.Target.Abilities.Owners || c.Source?.Abilities.Owners != true
                    ? null
                    : $"`{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) stores no owners, so anybody "
                        + $"at the machine could read {c.Holding.Name}."
        ),
        new(
            "target-lacks-kinds",
            Severity.Blocking,
            "The holding has links, further names of files or pipes, which the target cannot store.",
            "Take them away, or describe another volume.",
            TargetLacksKinds
        ),
        new(
            "target-merges-names",
            Severity.Blocking,
            "Names that differ only in case would become one file at the target.",
            "Rename them, or describe another volume.",
            c =>
                c.Target is null
                || c.Target.Abilities.CaseSensitive
                || c.Holding.Demands.Of(DemandKind.NamesByCase) is not { } found
                    ? null
                    : $"{Words.Count(found.Count, "name")} in {c.Holding.Name} on {c.Machine.Name} differ from "
                        + $"another only in case (`{found.Example}`), and `{c.Target.Root}` ({c.Target.FileSystem}) "
                        + "takes both for one file."
        ),
        new(
            "target-refuses-names",
            Severity.Blocking,
            "Names that the target's file system does not take.",
            "Rename them, or describe another volume.",
            c =>
                c.Target is null
                || c.Target.Abilities.OddNames
                || c.Holding.Demands.Of(DemandKind.OddNames) is not { } found
                    ? null
                    : $"{Words.Count(found.Count, "name")} in {c.Holding.Name} on {c.Machine.Name} cannot stand on "
                        + $"`{c.Target.Root}` ({c.Target.FileSystem}): `{found.Example}`."
        ),
        new(
            "target-loses-facts",
            Severity.Consent,
            "The copy would be complete, but something that was kept about its files or in their holes is lost at the target.",
            "Accept it, or describe another volume.",
            TargetLosesFacts
        ),
        new(
            "file-too-large",
            Severity.Blocking,
            "A file is larger than the target's file system stores.",
            "Describe another volume.",
            c =>
                c.Target is null || c.Holding.Demands.LargestFileBytes <= c.Target.Abilities.LargestFileBytes
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} has a file of "
                        + $"{Words.Size(c.Holding.Demands.LargestFileBytes)}, and `{c.Target.Root}` "
                        + $"({c.Target.FileSystem}) stores files of {Words.Size(c.Target.Abilities.LargestFileBytes)} at most."
        ),
        new(
            "path-too-long",
            Severity.Blocking,
            "At the target some paths would be longer than programs can open.",
            "Plan a shorter path, or shorten the names.",
            PathTooLong
        ),
        new("device-node", Severity.Blocking, "Device nodes stand in a user's folder.", "Take them away.", c =>
            c.Holding.Demands.Of(DemandKind.DeviceNodes) is not { } found
                ? null
                : $"{Words.Count(found.Count, "device node")} in {c.Holding.Name} on {c.Machine.Name} "
                    + $"(`{found.Example}`): they have no place in a user's folder and are not relocated."
        ),
        new(
            "cannot-be-copied",
            Severity.Blocking,
            "Something in the holding would not come out of a copy as it is: marked as unchangeable or "
                + "append-only, encrypted by the file system, stored elsewhere (in the cloud, deduplicated), or "
                + "another volume that is mounted inside.",
            "Take the mark or the encryption away, have the files stored here, or unmount the volume; then survey again.",
            CannotBeCopied
        ),
        new(
            "copy-loses-facts",
            Severity.Consent,
            "Something is kept beside the content of files that is not copied: further streams of data "
                + "(Windows), attributes and access lists of links and pipes, and that several names are one link or pipe.",
            "Accept that it is lost, or take those files out of the holding first. The original has it until it is discarded.",
            c =>
                c.Holding.Demands.Of(DemandKind.FactsNotKept) is not { } found
                    ? null
                    : $"{Words.Count(found.Count, "entry", "entries")} of {c.Holding.Name} on {c.Machine.Name} "
                        + $"(`{found.Example}`) {(found.Count == 1 ? "has" : "have")} further streams of data, "
                        + "attributes or further names that are not copied."
        ),
        new(
            "link-not-possible",
            Severity.Blocking,
            "A link is to stay at the former place, on a volume that stores none.",
            "Leave out `leave: link`; programs that know only the old path must then be given the new one, and "
                + "what has no setting stays where it is.",
            c =>
                c.LeavesLink && c.Source is { Abilities.Links: false } source
                    ? $"`{source.Root}` of {c.Machine.Name} ({source.FileSystem}) stores no link that could stay "
                        + $"where {c.Holding.Name} lived."
                    : null
        ),
        new(
            "links-lead-elsewhere",
            Severity.Advice,
            "Links of the holding lead out of it by a relative path, or into it by its former path: their text "
                + "is kept, so they lead elsewhere from the new place.",
            "Look at them after the relocation; for those that name the former path, `leave: link` helps.",
            c =>
                c.Holding.Demands.Of(DemandKind.LinksElsewhere) is { } links
                    ? $"{Words.Count(links.Count, "link")} of {c.Holding.Name} on {c.Machine.Name} would lead "
                        + $"elsewhere from `{c.Shown}`, the first of them `{links.Example}`."
                    : null
        ),
    ];

    private static HazardText? TargetLacksKinds(HazardContext c)
    {
        if (c.Target is null)
            return null;
        var able = c.Target.Abilities;
        List<string> lacking = [];
        if (!able.Links)
            Add(DemandKind.Links, "symbolic link", "symbolic links");
        if (!able.HardLinks)
            Add(DemandKind.HardLinks, "file with further names", "files with further names");
        if (!able.Links)
            Add(DemandKind.PipesAndSockets, "pipe or socket", "pipes or sockets");
        return lacking.Count == 0
            ? null
            : $"`{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) cannot store what {c.Holding.Name} "
                + $"has: {string.Join("; ", lacking)}.";

        void Add(DemandKind kind, string one, string many)
        {
            if (c.Holding.Demands.Of(kind) is { } found)
                lacking.Add($"{Words.Count(found.Count, one, many)} (`{found.Example}`)");
        }
    }

    private static HazardText? TargetLosesFacts(HazardContext c)
    {
        if (c.Target is null)
            return null;
        List<string> lost = [];
        if (!c.Target.Abilities.ExtendedAttributes && c.Holding.Demands.Of(DemandKind.Attributes) is { } attributes)
            lost.Add(
                $"extended attributes and access lists of {Words.Count(attributes.Count, "file")} (`{attributes.Example}`) are not kept"
            );
        if (!c.Target.Abilities.Holes && c.Holding.Demands.Of(DemandKind.Holes) is { } holes)
            lost.Add($"the holes of {Words.Count(holes.Count, "file")} (`{holes.Example}`) are filled");
        return lost.Count == 0
            ? null
            : $"On `{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) {string.Join("; ", lost)} when "
                + $"{c.Holding.Name} goes there.";
    }

    private static HazardText? PathTooLong(HazardContext c)
    {
        if (c.Target is null)
            return null;
        var longest = Encoding.UTF8.GetByteCount(c.Shown) + 1 + c.Holding.Demands.LongestPathBytes;
        return longest <= c.Target.Abilities.LongestPathBytes
            ? null
            : $"The longest path of {c.Holding.Name} on {c.Machine.Name} would have {longest:N0} bytes at "
                + $"`{c.Shown}`, and programs open at most {c.Target.Abilities.LongestPathBytes:N0}.";
    }

    private static HazardText? CannotBeCopied(HazardContext c)
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
            : $"In {c.Holding.Name} on {c.Machine.Name}, {string.Join("; ", found)}: a copy would not be the same.";
    }

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
}
