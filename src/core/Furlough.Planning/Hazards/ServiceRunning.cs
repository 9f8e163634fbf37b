using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A system service holds files of the holding open.</summary>
public sealed class ServiceRunning : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "service-running",
            Severity.Advice,
            "A system service holds files of the holding open.",
            "Stop the service before the run; files still open stop the relocation and change nothing."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Services.Count == 0
            ? null
            : c.Say(
                Entry,
                $"{string.Join(" and ", c.Holding.Services.Take(3))} {(c.Holding.Services.Count == 1 ? "holds" : "hold")} files of {c.Holding.Name} on {c.Machine.Name} open."
            );
}
