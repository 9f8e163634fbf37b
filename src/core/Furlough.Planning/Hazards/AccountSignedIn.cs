using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The account is signed in.</summary>
public sealed class AccountSignedIn : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => !c.Account.SignedIn ? null
        : c.Say("account-signed-in", Severity.Advice, $"{c.Account.Name} was signed in on {c.Machine.Name} at the survey.", "Ask for signing out before the run; files still open stop the relocation and change nothing.");
}
