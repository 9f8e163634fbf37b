using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The account is signed in.</summary>
public sealed class AccountSignedIn : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "account-signed-in",
            Severity.Advice,
            "The account is signed in.",
            "Ask for signing out before the run, or have people told: `work: {tell-people: …}` in the brief. Files still open stop the relocation and change nothing."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        !c.Account.SignedIn ? null : c.Say(Entry, $"{c.Account.Name} was signed in on {c.Machine.Name} at the survey.");
}
