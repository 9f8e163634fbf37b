using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Tells the person at the machine, keeps the account from signing in until reopen, and makes sure that nobody holds files of the holding open.</summary>
public sealed class QuiesceStep : IStep
{
    /// <summary>What has to be put back for the account to sign in again.</summary>
    private const string SignIn = "sign-in";
    private const char Barred = '=';

    private static readonly TimeSpan LookAgain = TimeSpan.FromSeconds(1);

    /// <inheritdoc/>
    public Step Name => Step.Quiesce;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var activity = work.Machine.Activity;
        var account = work.Docket.Holding.Account;
        if (Kept(work) is null && work.Desk.Waits(work.Docket) is { } told)
            throw new Parked(told);
        if (Kept(work) is null && Record(work) is { } record)
            work.Note(SignIn, Barred + record);
        if (Kept(work) is not null)
            activity.BarSignIn(account);
        else if (!work.Docket.Holding.IsShared)
            work.Report(
                $"The sign-in of {account} cannot be barred on this machine; changes made meanwhile would be found before reopening."
            );
        try
        {
            RequireUnused(work, Name);
        }
        catch (Fault inUse) when (Faults.IsInTheWay(inUse.Code) && work.Docket.Terms.KeepWaiting)
        {
            LetIn(work);
            throw new Parked(inUse);
        }
    }

    /// <summary>What keeps the docket from going on: its program is open, or somebody holds files below the source open; null for nothing.</summary>
    internal static Fault? InTheWay(Work work)
    {
        var (docket, activity) = (work.Docket, work.Machine.Activity);
        if (
            docket.Holding.Kind == HoldingKind.Home
            && activity.Running(docket.Holding.Account, null) is { Count: > 0 } own
        )
            return Faults.AccountAtWork(docket.Holding.Account, own);
        if (
            docket.Program is { Closed.Count: > 0 } program
            && activity.Running(docket.Holding.Account, program.Closed) is { Count: > 0 } running
        )
            return Faults.ProgramRunning(running);
        return docket.Method != Method.Setting && activity.InUse(work.Moving) is { Count: > 0 } list
            ? Faults.FilesInUse(list)
            : null;
    }

    /// <summary>Nothing may be in the way; waits for that as long as the docket's terms say.</summary>
    internal static void RequireUnused(Work work, Step step)
    {
        var waited = TimeSpan.Zero;
        for (var told = false; InTheWay(work) is { } why; told = true)
        {
            var left = work.Docket.Terms.FilesInUseWait - waited;
            if (left <= TimeSpan.Zero)
                throw why;
            if (!told)
                work.Waits(step, why);
            work.Heed();
            var pause = left < LookAgain ? left : LookAgain;
            work.Delay(pause);
            waited += pause;
        }
    }

    /// <summary>Lets the account in again as it was before.</summary>
    internal static void LetIn(Work work)
    {
        if (Kept(work) is not { } record)
            return;
        work.Machine.Activity.AllowSignIn(work.Docket.Holding.Account, record);
        work.Note(SignIn, "");
    }

    /// <summary>Whether this docket keeps the account out now.</summary>
    internal static bool IsKeptOut(Work work) => Kept(work) is not null;

    /// <summary>Whether the account can be kept out on this machine.</summary>
    internal static bool CanKeepOut(Work work) => Record(work) is not null;

    /// <summary>How the account's sign-in is now; null where it cannot be barred, and for what belongs to no account.</summary>
    private static string? Record(Work work) =>
        work.Docket.Holding.IsShared ? null : work.Machine.Activity.SignInRecord(work.Docket.Holding.Account);

    /// <summary>How the sign-in was before it was barred; null when it is not barred.</summary>
    private static string? Kept(Work work) => work.Noted(SignIn) is [Barred, .. var record] ? record : null;
}
