using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The system keeps small apps on its own volume, wherever the setting says that apps go.</summary>
public sealed class SmallAppsStay : IHazard
{
    private const int Shown = 8;

    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "small-apps-stay",
            Severity.Advice,
            "The system keeps small apps on its own volume, wherever the setting says that apps go.",
            "Reckon with them when the system volume's space is planned.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Holding.SmallestBytes == 0)
            return null;
        List<string> small =
        [
            .. c
                .Survey.Holdings.Where(h => h.Name.Kind == HoldingKind.App && h.DataBytes < c.Holding.SmallestBytes)
                .Select(h => h.Name.Name),
        ];
        var there =
            small.Count == 0
                ? ""
                : $" So do those of that size that are there: {string.Join(", ", small.Take(Shown))}{(small.Count > Shown ? $" and {Words.Count(small.Count - Shown, "more", "more")}" : "")}.";
        return c.Say(
            Entry,
            $"Apps below {Words.Size(c.Holding.SmallestBytes)} stay on the system volume of {c.Machine.Name}.{there}"
        );
    }
}
