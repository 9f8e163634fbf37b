using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Keeps the account from signing in until reopen, and makes sure that nobody holds files of the holding open.</summary>
public sealed class QuiesceStep : IStep
{
    /// <summary>What has to be put back for the account to sign in again.</summary>
    internal const string SignIn = "sign-in";

    /// <inheritdoc/>
    public Step Name => Step.Quiesce;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var activity = work.Machine.Activity;
        var account = work.Docket.Holding.Account;
        if (work.Noted(SignIn) is null && activity.SignInRecord(account) is { } record) work.Note(SignIn, record);
        if (work.Noted(SignIn) is not null) activity.BarSignIn(account);
        else work.Report($"The sign-in of {account} cannot be barred on this machine; changes made meanwhile would be found before reopening.");
        RequireUnused(work);
    }

    /// <summary>Nobody may hold files below the source open.</summary>
    internal static void RequireUnused(Work work)
    {
        if (work.Machine.Activity.InUse(work.Docket.Source) is { Count: > 0 } list) throw Faults.FilesInUse(list);
    }
}
