using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>
/// The settings that lead to the holding of one docket: their values before and after, and how they are changed and put
/// back (I6).
/// </summary>
/// <param name="report">Takes what is reported with the outcome.</param>
public sealed class DocketSettings(Docket docket, IMachine machine, DocketJournal journal, Action<string> report)
{
    /// <summary>
    /// A setting's raw value before the relocation: what the docket expects, or what the program wrote at its first
    /// start.
    /// </summary>
    public PointerValue FormerOf(PointerChange change)
    {
        if (docket.Program is not { FirstStart.Count: > 0 })
            return change.Expected;
        if (journal.Records.Find<FormerValue>(SettingRecord.KeyOf(change.Address)) is { Value: var written })
            return written;
        return FirstStart.IsToCome(journal) ? machine.Pointers.Read(change.Address) : change.Expected;
    }

    /// <summary>
    /// A setting's new raw value: given by the docket, or the target spelled in its own syntax. Spelled once: recovery
    /// must see what was written.
    /// </summary>
    public PointerValue NextOf(PointerChange change)
    {
        if (change.Next is { } given)
            return given;
        if (journal.Records.Find<NextValue>(SettingRecord.KeyOf(change.Address)) is { Value: var before })
            return before;
        var spelled = machine.Pointers.Spell(change.Address, Below(docket.Target, change), FormerOf(change));
        journal.Record(new NextValue(change.Address, spelled));
        return spelled;
    }

    /// <summary>Where a pointer leads when the holding is at a place.</summary>
    private static Place Below(Place place, PointerChange change) =>
        change.Within.Length == 0 ? place : place with { Path = $"{place.Path}/{change.Within}" };

    /// <summary>Every pointer's value before and after.</summary>
    public IReadOnlyList<PointerHistory> History() =>
        [.. docket.Pointers.Select(p => new PointerHistory(p.Address, FormerOf(p), NextOf(p)) { Within = p.Within })];

    /// <summary>Every pointer must read what the docket expects (I9).</summary>
    public void RequireAtSource()
    {
        foreach (var change in docket.Pointers)
        {
            var found = machine.Pointers.Read(change.Address);
            if (found != FormerOf(change))
                throw Faults.PointerChanged(change.Address, FormerOf(change), found);
        }
    }

    /// <summary>
    /// The former values that a docket gives must lead to its target still: one that is written from the home on does
    /// not when the home is elsewhere now (I2).
    /// </summary>
    /// <exception cref="Fault"><see cref="FaultKinds.FormerSettingElsewhere"/></exception>
    public void RequireFormerLead()
    {
        foreach (var change in docket.Pointers)
            if (
                machine.Volumes.Show(Below(docket.Target, change)) is var shown
                && change.Next is { } former
                && machine.Pointers.Leads(change.Address, former) is { } path
                && path != shown
            )
                throw new Fault(
                    FaultKinds.FormerSettingElsewhere,
                    $"The former value of the setting {change.Address}, `{former.Text ?? "(nothing)"}`, leads to "
                        + $"`{path}` now and not to `{shown}`.",
                    "What it is written from was relocated since: return that first, or relocate this holding with a new plan."
                );
    }

    /// <summary>
    /// Every pointer must lead to the target. The link of a holding that has one in its place is left last of all, and
    /// looked at when the relocation is confirmed.
    /// </summary>
    public void RequireAtTarget()
    {
        foreach (var change in docket.Pointers.Where(p => !(p.Address.InPlace && docket.Work == DocketWork.Relocate)))
        {
            var found = machine.Pointers.Read(change.Address);
            var next = NextOf(change);
            if (found != next)
                throw Faults.PointerChanged(change.Address, next, found);
        }
    }

    /// <summary>Changes every pointer that does not lead to the target yet.</summary>
    public void Change()
    {
        foreach (var change in Changes())
        {
            var next = NextOf(change);
            if (machine.Pointers.Read(change.Address) == next)
                continue;
            machine.Pointers.Swap(change.Address, FormerOf(change), next);
        }
    }

    /// <summary>Puts every pointer back that leads to the target; what someone else changed stays.</summary>
    public void PutBack()
    {
        foreach (var change in Changes().Reverse())
        {
            var found = machine.Pointers.Read(change.Address);
            if (found == FormerOf(change))
                continue;
            if (found == NextOf(change))
                machine.Pointers.Swap(change.Address, found, FormerOf(change));
            else
                report($"The setting {change.Address} was changed by someone else and left as it is.");
        }
    }

    private IEnumerable<PointerChange> Changes() => docket.Pointers.Where(p => !p.Address.InPlace);
}
