using Furlough.Model;
using Furlough.Planning.Briefs;

namespace Furlough.Planning.Hazards;

/// <summary>No volume of the machine has the facts that the role wants.</summary>
public sealed class NoVolumeForRole : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "no-volume-for-role",
            Severity.Blocking,
            "No volume of the machine has the facts that the role wants.",
            "Attach a volume that fits, or describe the role otherwise for this machine.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is not null
            ? null
            : c.Say(Entry, $"{c.Machine.Name} has no volume that fits the role `{c.Role}`{Whose(c)}{Others(c)}.");

    /// <summary>Whose volume is wanted, where every person has another.</summary>
    private static string Whose(HazardContext c) =>
        c.Brief.Volumes[c.Item.Onto] is { IsPersonal: true } role
            ? $" of {c.Holding.Name.Account} ({string.Join(", ", new[] { role.Label, role.Identity }.OfType<string>().Select(t => $"`{Brief.Filled(t, c.Brief.Of(c.Holding.Name.Account))}`"))})"
            : "";

    private static string Others(HazardContext c)
    {
        var others = c
            .Survey.Volumes.Where(v => !v.System)
            .Select(v => $"`{v.Root}` is {v.Attached.Word()}, {Words.Size(v.SizeBytes)}")
            .ToList();
        return others.Count == 0 ? ": it has only its system volume" : ": " + string.Join("; ", others);
    }
}
