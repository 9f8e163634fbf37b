using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A user folder lies in hidden application data, whose programs know their own path. Where a kind card knows the program's setting, that says where it lives, and nothing is guessed by names.</summary>
public sealed class HiddenApplicationData : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "hidden-application-data",
            Severity.Blocking,
            "The folder lies in hidden application data, whose programs know their own path.",
            "Have the setting lead to a folder of its own first."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Name.Kind != HoldingKind.Folder
        || (c.Holding.HiddenIn ?? c.Holding.Place?.Parts.FirstOrDefault(p => p.StartsWith('.'))) is not { } hidden
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} lies in `{hidden}`, hidden application data that moves only with the whole home."
            );
}
