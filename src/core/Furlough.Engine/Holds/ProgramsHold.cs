using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Holds;

/// <summary>
/// Programs that use the holding are closed. People close them, so there is nothing to put back. It is the hold of
/// what belongs to no account too.
/// </summary>
public sealed class ProgramsHold(IActivity activity) : IHold
{
    /// <inheritdoc/>
    public string Name => "programs";

    /// <inheritdoc/>
    public string Former(Docket docket) => "";

    /// <inheritdoc/>
    public Fault? InTheWay(Docket docket, Place moving) =>
        Running(docket) ?? (activity.InUse(moving) is { Count: > 0 } list ? Faults.FilesInUse(list) : null);

    /// <summary>What runs and must be closed first, whatever files it has open; null for nothing.</summary>
    public Fault? Running(Docket docket)
    {
        var account = docket.Holding.Account;
        if (docket.Holding.Kind == HoldingKind.Home && activity.Running(account, null) is { Count: > 0 } own)
            return Faults.AccountAtWork(account, own);
        return
            docket.Program is { Closed.Count: > 0 } program
            && activity.Running(account, program.Closed) is { Count: > 0 } running
            ? Faults.ProgramRunning(running)
            : null;
    }
}
