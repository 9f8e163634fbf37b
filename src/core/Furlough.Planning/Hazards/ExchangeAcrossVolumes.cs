using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The exchange method is asked for between two volumes.</summary>
public sealed class ExchangeAcrossVolumes : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "exchange-across-volumes",
            Severity.Blocking,
            "The exchange method is asked for between two volumes.",
            "Leave `method` out, or say `cold`."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Method != Method.Exchange || c.Source is null || c.Target is null || c.Source == c.Target
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} would change its volume, which the exchange method cannot do."
            );
}
