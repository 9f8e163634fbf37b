using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Puts the proven copy of what stands at the former place into the live place, as a folder of its own and by one
/// rename. Nothing is overwritten there (I7), nothing removed at the former place.
/// </summary>
public sealed class GatherStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Gather;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTarget;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTarget;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        using var parent = Reach.Parent(context.Places.TargetVolume(), context.Docket.Target);
        using var live = parent.OpenFolder(context.Docket.Target.Parts[^1]);
        using (var at = context.Places.TryOwn(DocketSide.Copy))
        {
            var own = at?.Folder;
            if (own?.Find(Layout.Staging) is not null)
            {
                var name = FreeName(live, context.Time.GetUtcNow());
                context.Journal.Record(new GatheredAs(name));
                own.Move(Layout.Staging, live, name);
            }
            else if (!context.Journal.Records.Has<GatheredAs>())
                throw new Fault(
                    FaultKinds.CopyMissing,
                    "The proven copy is gone from the live place's volume.",
                    "Find out who removed it."
                );
            live.Flush();
            own?.Flush();
            at?.Remove(context.Stop);
        }
        var (from, to) = (context.Places.SourceShown, context.Places.TargetShown);
        context.Report.Add(
            $"What stands at `{from}` was copied to `{to}/{context.Journal.Records.Find<GatheredAs>()?.Name}`; it "
                + $"stands at `{from}` as well until someone removes it there."
        );
    }

    private static string FreeName(IFolder live, DateTimeOffset now)
    {
        var name = FormattableString.Invariant($"Found at the former place {now:yyyy-MM-dd}");
        for (var n = 1; ; n++)
        {
            var candidate = n == 1 ? name : FormattableString.Invariant($"{name} ({n})");
            if (live.Find(candidate) is null)
                return candidate;
        }
    }
}
