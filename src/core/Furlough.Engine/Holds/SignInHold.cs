using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Holds;

/// <summary>Keeps the account of a holding from signing in.</summary>
public sealed class SignInHold(IActivity activity) : IHold
{
    /// <summary>Its name in journals.</summary>
    public const string Key = "sign-in";

    /// <inheritdoc/>
    public string Name => Key;

    /// <inheritdoc/>
    public string? Former(Docket docket) =>
        docket.Holding.IsShared ? null : activity.SignInRecord(docket.Holding.Account);

    /// <inheritdoc/>
    public void Take(Docket docket) => activity.BarSignIn(docket.Holding.Account);

    /// <inheritdoc/>
    public void Release(Docket docket, string former) => activity.AllowSignIn(docket.Holding.Account, former);

    /// <inheritdoc/>
    public string? Without(Docket docket) =>
        docket.Holding.IsShared
            ? null
            : $"The sign-in of {docket.Holding.Account} cannot be barred on this machine; changes made meanwhile "
                + "would be found before reopening.";
}
