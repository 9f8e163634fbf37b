using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The account's home follows it from machine to machine: elsewhere the folder would be missing.</summary>
public sealed class AccountRoams : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "account-roams",
            Severity.Consent,
            "The account's home follows it from machine to machine: elsewhere the folder would be missing.",
            "Leave the account out, or accept that its folder stays on this machine."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        !c.Account.Roams
            ? null
            : c.Say(
                Entry,
                $"The home of {c.Account.Name} follows the account to other machines; {c.Holding.Name.Name} would then be on {c.Machine.Name} alone."
            );
}
