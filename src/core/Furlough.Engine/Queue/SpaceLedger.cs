using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Queue;

/// <summary>
/// The room on target volumes that dockets count on and have not filled yet, so that two copies never count on the same
/// free bytes. It is kept in the journal, so a restart of the agent forgets none of it.
/// </summary>
public sealed class SpaceLedger
{
    private const long Margin = 16L << 20;

    private readonly Lock _lock = new();

    /// <summary>Room that a docket's copy needs at the target, in bytes.</summary>
    internal static long NeedsOf(Docket docket) => docket.DataBytes + Margin;

    /// <summary>Claims the room that a copy needs, durably, before any of it is filled.</summary>
    /// <returns>Null; or the free bytes where they are too few, no matter who claims them.</returns>
    /// <exception cref="Parked"><c>space-claimed</c>: there would be enough if others did not need it
    /// first.</exception>
    internal long? TryClaim(StepContext context, IVolume target)
    {
        lock (_lock)
        {
            var (needs, free) = (NeedsOf(context.Docket), target.FreeBytes);
            if (free < needs)
                return free;
            var claimed = ClaimedByOthers(context);
            if (free - claimed < needs)
                throw new Parked(Faults.SpaceClaimed(context.Places.TargetShown, needs, free, claimed));
            context.Journal.Record(new TargetClaim(context.Docket.Target, needs));
            return null;
        }
    }

    /// <summary>Claims the target without any room, where what arrives is on its volume already.</summary>
    internal static void ClaimPlace(StepContext context) =>
        context.Journal.Record(new TargetClaim(context.Docket.Target, 0));

    /// <summary>Whether a docket would still have too little room because others need it first.</summary>
    internal static bool IsClaimedByOthers(StepContext context)
    {
        var (needs, free) = (NeedsOf(context.Docket), context.Places.TargetVolume().FreeBytes);
        return free >= needs && free - ClaimedByOthers(context) < needs;
    }

    /// <summary>Whether another docket that has not ended uses a folder for its target.</summary>
    internal static bool IsUsed(StepContext context, Place folder) =>
        context.Journal.ClaimsBeside().Any(c => c.Claim.Target.IsInside(folder));

    private static long ClaimedByOthers(StepContext context) =>
        context
            .Journal.ClaimsBeside()
            .Where(c => !c.Filled && c.Claim.Target.Volume == context.Docket.Target.Volume)
            .Sum(c => c.Claim.Bytes);
}
