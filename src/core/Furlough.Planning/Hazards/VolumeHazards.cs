using Furlough.Model;
using Furlough.Planning.Briefs;

namespace Furlough.Planning.Hazards;

/// <summary>What kind of volume the target is.</summary>
internal static class VolumeHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "no-volume-for-role",
            Severity.Blocking,
            "No volume of the machine has the facts that the role wants.",
            "Attach a volume that fits, or describe the role otherwise for this machine.",
            c =>
                c.Target is not null
                    ? null
                    : $"{c.Machine.Name} has no volume that fits the role `{c.Role}`{Whose(c)}{Others(c)}."
        )
        {
            OfSettings = true,
        },
        new(
            "no-closed-folder",
            Severity.Blocking,
            "Someone but the system can rename what stands in the root folder of the volume: copies and originals are safe nowhere on it.",
            "Give the root folder of that volume to the system (owner root, mode 0755, or 1777 where people make "
                + "folders there), then survey again.",
            c =>
                new[] { c.Target, c.Source }.FirstOrDefault(v => v is { RootOpen: true }) is not { } open
                    ? null
                    : $"On `{open.Root}` of {c.Machine.Name} anybody can rename what stands in the root folder, so "
                        + $"{c.Holding.Name} could be exchanged while it is relocated."
        ),
        new(
            "target-on-system-volume",
            Severity.Consent,
            "The target is the system volume: nothing is gained, and the next image overwrites it.",
            "Describe the role with `system: false`, or accept it.",
            c =>
                c.Target is not { System: true }
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} would live on the system volume, which rebuilding the machine overwrites."
        )
        {
            OfSettings = true,
        },
        new(
            "target-on-network-volume",
            Severity.Consent,
            "The target is a network volume.",
            "Describe the role with `attached: internal`, or accept it.",
            c =>
                c.Target is not { Attached: Attachment.Network }
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} would live on the network volume `{c.Target.Root}` and "
                        + "be away with the network."
        )
        {
            AtSignIn = Severity.Blocking,
            OfSettings = true,
        },
        new(
            "target-on-external-volume",
            Severity.Consent,
            "The target is an external volume, or one of which the system does not say how it is attached.",
            "Describe the role with `attached: internal`, or accept it. Folders that are needed at sign-in "
                + "require a drill with the volume that has passed (`furlough machine drill`).",
            TargetOnExternalVolume
        )
        {
            AtSignIn = Severity.Blocking,
            OfSettings = true,
        },
        new(
            "target-on-removable-volume",
            Severity.Consent,
            "The target is a removable volume: slow, soon full, left behind in the back of a machine.",
            "Describe the role with `attached: internal`, or accept it.",
            c =>
                c.Target is not { Attached: Attachment.Removable }
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} would live on the removable volume `{c.Target.Root}`, which is easily lost."
        )
        {
            AtSignIn = Severity.Blocking,
            OfSettings = true,
        },
        new(
            "portable-target-unencrypted",
            Severity.Consent,
            "The target is a volume that can be carried away, and nothing shows that it is encrypted.",
            "Encrypt the volume so that it opens at start-up, describe another one, or accept it.",
            c =>
                c.Target
                    is not {
                        Attached: Attachment.External or Attachment.Removable or Attachment.Unknown,
                        Encrypted: false
                    }
                    ? null
                    : $"Anyone who picks up the volume `{c.Target.Root}` of {c.Machine.Name} could read "
                        + $"{c.Holding.Name}: it is {HowAttached(c.Target)}, "
                        + "and nothing shows that it is encrypted."
        )
        {
            OfRepointing = true,
        },
        new(
            "target-without-fixed-mount",
            Severity.Consent,
            "The target is mounted only after someone has signed in, or it can be detached and is not mounted by "
                + "its identity (and unlocked) at start-up.",
            "Mount it at start-up by its identity (in the table of file systems, with UUID= or LABEL=; an "
                + "encrypted volume also needs an entry that unlocks it at start-up), or accept it.",
            c =>
                c.Target is not { FixedMount: false }
                    ? null
                    : $"`{c.Target.Root}` of {c.Machine.Name} is not mounted by its identity (and unlocked) before "
                        + $"anyone signs in: {c.Holding.Name} could be missing at first."
        )
        {
            AtSignIn = Severity.Blocking,
            OfSettings = true,
        },
        new(
            "target-read-from-cache",
            Severity.Advice,
            "The copy cannot be read back from the medium itself (I3).",
            "Keep the original longer, or describe another volume.",
            c =>
                c.Target is null || c.Target.Abilities.ReadsPastCache
                    ? null
                    : $"`{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) cannot be read past its "
                        + $"cache, so the copy of {c.Holding.Name} is proven from cache: a fault of the medium would show only later."
        ),
    ];

    /// <summary>Whose volume is wanted, where every person has another.</summary>
    private static string Whose(HazardContext c) =>
        c.Brief.Volumes[c.Item.Onto] is { IsPersonal: true } role
            ? $" of {c.Holding.Name.Account} ({string.Join(", ", NamesOf(c, role))})"
            : "";

    private static IEnumerable<string> NamesOf(HazardContext c, VolumeRole role) =>
        new[] { role.Label, role.Identity }
            .OfType<string>()
            .Select(name => $"`{Brief.Filled(name, c.Brief.Of(c.Holding.Name.Account))}`");

    private static string HowAttached(VolumeFacts volume) =>
        volume.Attached == Attachment.Unknown
            ? "attached in a way that the system does not tell"
            : volume.Attached.Word();

    private static string Others(HazardContext c)
    {
        var others = c
            .Survey.Volumes.Where(v => !v.System)
            .Select(v => $"`{v.Root}` is {v.Attached.Word()}, {Words.Size(v.SizeBytes)}")
            .ToList();
        return others.Count == 0 ? ": it has only its system volume" : ": " + string.Join("; ", others);
    }

    private static HazardText? TargetOnExternalVolume(HazardContext c)
    {
        if (c.Target is not { Attached: Attachment.External or Attachment.Unknown } target)
            return null;
        var found = MayBeAway(c, target);
        if (!c.NeededAtSignIn)
            return found;
        return c.Machine.Drilled.Contains(target.Identity.Key)
            ? found with
            {
                Severity = Severity.Consent,
                Text = $"{found.Text} A drill with the volume has passed.",
                Remedy =
                    "Accept it; anyone who detaches the volume is to know that only the fallback administrator can sign in then.",
            }
            : found with
            {
                Remedy =
                    "Describe the role with `attached: internal`; or try what happens without the volume: "
                    + $"`furlough machine drill {c.Machine.Name} --volume {target.Root} --account {c.Account.Name}`. "
                    + "With a drill that has passed it may be accepted.",
            };
    }

    private static HazardText MayBeAway(HazardContext c, VolumeFacts target) =>
        target.Attached == Attachment.Unknown
            ? new HazardText(
                $"The system of {c.Machine.Name} does not say how the volume `{target.Root}` is attached: "
                    + $"{c.Holding.Name} would be away if it is unplugged.",
                "Make sure that it stays, and accept it."
            )
            : new HazardText(
                $"{c.Holding.Name} on {c.Machine.Name} would live on the external volume `{target.Root}` and "
                    + "be away when that is unplugged."
            );
}
