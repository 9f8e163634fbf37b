using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A setting that would be changed is fixed by the administration: it would be put back.</summary>
public sealed class SettingFixed : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "setting-fixed",
            Severity.Blocking,
            "A setting that would be changed is fixed by the administration: it would be put back.",
            "Have the rule changed that fixes it.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Pointers.FirstOrDefault(p => p.FixedBy is not null) is not { } pointer
            ? null
            : c.Say(
                Entry,
                $"The setting for {c.Holding.Name} on {c.Machine.Name} is not the account's own: {pointer.FixedBy}."
            );
}
