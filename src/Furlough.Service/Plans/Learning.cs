using Furlough.Model;
using Furlough.Planning.Forecasts;
using Furlough.Service.Machines;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Plans;

/// <summary>What forecasts learn from: relocations that were carried out in one go.</summary>
public static class Learning
{
    /// <summary>As many as this are remembered, the newest.</summary>
    private const int Most = 5_000;

    /// <summary>What the fleet has shown.</summary>
    public static async Task<Experience> ExperienceAsync(FurloughDb db, CancellationToken stop) =>
        new(
            (await db.Carried.OrderByDescending(c => c.Relocation).Take(Most).ToListAsync(stop)).ConvertAll(
                c => new Carried(
                    c.Room,
                    c.Machine,
                    new MediaPair(c.FromMedium, c.FromAttached, c.ToMedium, c.ToAttached),
                    c.DataBytes,
                    c.Files,
                    c.MovingSeconds,
                    c.RestSeconds
                )
            )
        );

    /// <summary>Keeps what a relocation has shown, if its volumes are known.</summary>
    public static async Task KeepAsync(
        FurloughDb db,
        MachineRow machine,
        RelocationRow relocation,
        IReadOnlyList<StepTime> times,
        CancellationToken stop
    )
    {
        var planned = Column.PlannedOf(relocation);
        if (
            planned.Method is not (Method.Cold or Method.Warm)
            || planned.Terms.BytesPerSecond is not null
            || await Surveys.OfAsync(db, machine.Id, stop) is not { } survey
        )
            return;
        if (survey.VolumeOf(planned.Source) is not { } source || survey.VolumeOf(planned.Target) is not { } target)
            return;
        if (await db.Carried.FindAsync([relocation.Number], stop) is not null)
            return;
        db.Carried.Add(
            new CarriedRow
            {
                Relocation = relocation.Number,
                Machine = machine.Id,
                Room = machine.Room,
                FromMedium = source.Medium,
                FromAttached = source.Attached,
                ToMedium = target.Medium,
                ToAttached = target.Attached,
                DataBytes = planned.DataBytes,
                Files = planned.Files,
                MovingSeconds = Seconds(times, Step.Copy, Step.Prove),
                RestSeconds = Seconds(
                    times,
                    Step.Prepare,
                    Step.Quiesce,
                    Step.Repoint,
                    Step.SetAside,
                    Step.Reopen,
                    Step.Confirm
                ),
            }
        );
    }

    private static double Seconds(IReadOnlyList<StepTime> times, params Step[] steps) =>
        times.Where(t => steps.Contains(t.Step)).Sum(t => t.Took.TotalSeconds);
}
