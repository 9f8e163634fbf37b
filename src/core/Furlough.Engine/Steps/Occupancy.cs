using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Whether people or programs still use a holding.</summary>
internal static class Occupancy
{
    private static readonly TimeSpan LookAgain = TimeSpan.FromSeconds(1);

    /// <summary>What the account runs that must be closed first; null for nothing.</summary>
    internal static Fault? ByPrograms(StepContext context)
    {
        var (docket, activity) = (context.Docket, context.Machine.Activity);
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
        return null;
    }

    /// <summary>The same, or who holds files below a place open; null for nobody.</summary>
    internal static Fault? Of(StepContext context, Place place) =>
        ByPrograms(context)
        ?? (context.Machine.Activity.InUse(place) is { Count: > 0 } list ? Faults.FilesInUse(list) : null);

    /// <summary>Waits until nobody is in the way, as long as the docket's terms say.</summary>
    /// <param name="inTheWay">Looks who is.</param>
    /// <exception cref="Fault">Someone still is.</exception>
    internal static void RequireNone(StepContext context, Step step, Func<Fault?> inTheWay)
    {
        var waited = TimeSpan.Zero;
        for (var told = false; inTheWay() is { } why; told = true)
        {
            var left = context.Docket.Terms.FilesInUseWait - waited;
            if (left <= TimeSpan.Zero)
                throw why;
            if (!told)
                context.Report.Waits(step, why);
            context.Heed();
            var pause = left < LookAgain ? left : LookAgain;
            context.Delay(pause);
            waited += pause;
        }
    }
}
