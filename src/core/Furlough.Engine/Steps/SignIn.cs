using Furlough.Engine.Context;
using Furlough.Engine.Records;

namespace Furlough.Engine.Steps;

/// <summary>
/// Keeps the account of a holding from signing in while it is switched, and lets it sign in again as it was before.
/// </summary>
internal static class SignIn
{
    /// <summary>Bars the sign-in; how it was before is recorded first.</summary>
    internal static void Bar(StepContext context)
    {
        var account = context.Docket.Holding.Account;
        if (!IsKeptOut(context) && Former(context) is { } former)
            context.Journal.Record(new KeptOut(former));
        if (IsKeptOut(context))
            context.Machine.Activity.BarSignIn(account);
        else if (!context.Docket.Holding.IsShared)
            context.Report.Add(
                $"The sign-in of {account} cannot be barred on this machine; changes made meanwhile would be found before reopening."
            );
    }

    /// <summary>Lets the account in again as it was before.</summary>
    internal static void Allow(StepContext context)
    {
        if (context.Journal.Records.Find<KeptOut>() is not { } kept)
            return;
        context.Machine.Activity.AllowSignIn(context.Docket.Holding.Account, kept.Former);
        context.Journal.Forget(kept);
    }

    /// <summary>Whether this docket keeps the account out now.</summary>
    internal static bool IsKeptOut(StepContext context) => context.Journal.Records.Has<KeptOut>();

    /// <summary>Whether the account can be locked out on this machine.</summary>
    internal static bool CanBar(StepContext context) => Former(context) is not null;

    /// <summary>
    /// How the account's sign-in is now; null where it cannot be barred, and for what belongs to no account.
    /// </summary>
    private static string? Former(StepContext context) =>
        context.Docket.Holding.IsShared ? null : context.Machine.Activity.SignInRecord(context.Docket.Holding.Account);
}
