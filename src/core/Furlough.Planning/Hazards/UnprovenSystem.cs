using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The agent's adapters have not been proven on a real system of the machine's kind.</summary>
public sealed class UnprovenSystem : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "unproven-system",
            Severity.Consent,
            "The agent's adapters have not been proven on a real system of the machine's kind.",
            "Make an account for the purpose on one such machine and run `furlough-agent check` there; or accept it: originals are kept as everywhere."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { Unproven: true } survey || c.Relocations.Count == 0
            ? null
            : c.Say(Entry, $"{c.Machine.Name} runs {survey.OperatingSystem}, on which relocating is unproven.");
}
