using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Sync clients and backups.</summary>
internal static class SyncHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "kept-by-sync-client",
            Severity.Blocking,
            "A sync client keeps the folder, or one inside it: to it the relocation would look like deletion.",
            "Take the folder out of the sync client first, or have the client keep another one.",
            c =>
                c.Survey.SyncFolders.FirstOrDefault(s =>
                    c.Holding.Place is { } place && (place.IsInside(s.Place) || s.Place.IsInside(place))
                )
                    is not { } kept
                    ? null
                    : $"{kept.Client} of {kept.Account} keeps `{c.Survey.Show(kept.Place)}` on {c.Machine.Name} the "
                        + $"same as elsewhere; when {c.Holding.Name} is set aside it would take that for deletion."
        ),
        new(
            "target-in-sync-folder",
            Severity.Consent,
            "The target lies in a folder that a sync client keeps: everything would be sent elsewhere.",
            "Plan another path, or accept it.",
            c =>
                c.Target is null || c.Survey.SyncFolders.FirstOrDefault(s => c.Place.IsInside(s.Place)) is not { } kept
                    ? null
                    : $"`{c.Shown}` on {c.Machine.Name} lies in what {kept.Client} of {kept.Account} keeps: "
                        + $"{Words.Size(c.Holding.DataBytes)} would be sent elsewhere."
        ),
        new(
            "only-in-cloud",
            Severity.Blocking,
            "Files of the holding are only in the cloud: copying would download them.",
            "Have the sync client keep them on this machine, or take them out of the folder.",
            c =>
                c.Holding.CloudOnlyFiles == 0
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} has {Words.Count(c.Holding.CloudOnlyFiles, "file")} "
                        + $"only in the cloud; copying would download {Words.Size(c.Holding.CloudOnlyBytes)}."
        ),
        new(
            "backup-misses-target",
            Severity.Consent,
            "The backup saves the source and not the target.",
            "Add the target to what the backup saves, or accept it.",
            c =>
                c.Target is null
                || c.Holding.Place is null
                || c.Survey.Backup is not { } backup
                || !backup.Saves(c.Holding.Place)
                || backup.Saves(c.Place)
                    ? null
                    : $"The backup of {c.Machine.Name} saves `{c.Holding.PathShown}` and not `{c.Shown}`."
        ),
    ];

    internal static IReadOnlyList<MachineHazard> OfMachines { get; } =
    [
        new(
            "backup-old",
            Severity.Consent,
            "The last backup of the machine is older than the brief allows, or there is none.",
            "Have it backed up before the run, or accept it.",
            c =>
                c.Machine.Survey?.Backup is not { } backup
                || c.Relocations.Count == 0
                || c.Now - backup.LastDone <= c.BackupWithin
                    ? null
                : backup.LastDone is { } last
                    ? $"{c.Machine.Name} was backed up {Words.Length(c.Now - last)} ago; the brief allows {Words.Length(c.BackupWithin)}."
                : $"{c.Machine.Name} has never been backed up."
        ),
        new(
            "backup-unknown",
            Severity.Advice,
            "Nothing is known of the backups of the machine.",
            "Make sure that there is one. What a backup program says can be given to the agent: see docs/planning.md.",
            c =>
                c.Machine.Survey is not { Backup: null } || c.Relocations.Count == 0
                    ? null
                    : $"Nothing is known of backups of {c.Machine.Name}."
        ),
    ];
}
