using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A share, an export, a server or another part of the system's configuration names the folder by its path, or one around it that is served with it.</summary>
public sealed class ServedBy : IHazard
{
    private const int Most = 4;

    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "served-by",
            Severity.Consent,
            "A share, an export, a server or another part of the machine's configuration names the folder by its path, and would name nothing after it was relocated.",
            "Change what names it by hand right after the run, or leave a link at the former place (`leave: link`)."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.ServedBy.Count == 0
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} (`{c.Holding.PathShown}`) is named by {string.Join(", ", c.Holding.ServedBy.Take(Most))}{(c.Holding.ServedBy.Count > Most ? $" and {c.Holding.ServedBy.Count - Most} more" : "")}."
            );
}
