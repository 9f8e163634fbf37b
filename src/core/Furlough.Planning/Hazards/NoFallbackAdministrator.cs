using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>No account is known as fallback administrator, who can sign in when a volume fails.</summary>
public sealed class NoFallbackAdministrator : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "no-fallback-administrator",
            Severity.Advice,
            "No account is known as fallback administrator, who can sign in when a volume fails.",
            "Make a local administrator whose home stays on the system volume, and name it to the agent with --fallback."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { } survey || c.Relocations.Count == 0 || survey.Accounts.Any(a => a.Fallback)
            ? null
            : c.Say(
                Entry,
                $"{c.Machine.Name} has no fallback administrator: if the target volume fails, nobody may be able to put it right at the desk."
            );
}
