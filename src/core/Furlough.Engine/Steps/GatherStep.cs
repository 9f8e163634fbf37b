using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Puts the proven copy of what stands at the former place into the live place, as a folder of its own and by one rename. Nothing is overwritten there (I7), nothing removed at the former place.</summary>
public sealed class GatherStep : IStep
{
    private const string GatheredAs = "gathered-as";

    /// <inheritdoc/>
    public Step Name => Step.Gather;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        using var parent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        using var live = parent.OpenFolder(work.Docket.Target.Parts[^1]);
        using (var at = work.TryOwn(DocketSide.Copy))
        {
            var own = at?.Folder;
            if (own?.Find(Layout.Staging) is not null)
            {
                var name = FreeName(live, work.Time.GetUtcNow());
                work.Note(GatheredAs, name);
                own.Move(Layout.Staging, live, name);
            }
            else if (work.Noted(GatheredAs) is null)
                throw new Fault(
                    "copy-missing",
                    "The proven copy is gone from the live place's volume.",
                    "Find out who removed it, then {retry}."
                );
            live.Flush();
            own?.Flush();
            at?.Remove(work.Stop);
        }
        var (from, to) = (work.Machine.Volumes.Show(work.Docket.Source), work.Machine.Volumes.Show(work.Docket.Target));
        work.Report(
            $"What stands at `{from}` was copied to `{to}/{work.Noted(GatheredAs)}`; it stands at `{from}` as well until somebody removes it there."
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
