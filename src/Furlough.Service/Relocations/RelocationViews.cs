using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.LiveEvents;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>What is shown of a relocation's machine.</summary>
public sealed record SeenMachine(Guid Id, string Name, string Room, DateTimeOffset? LastSeen)
{
    /// <summary>The same of a machine that was loaded whole.</summary>
    public static SeenMachine Of(MachineRow row) => new(row.Id, row.Name, row.Room, row.LastSeen);
}

/// <summary>A relocation as people see it.</summary>
public static class RelocationViews
{
    internal static async Task<RelocationView> OfAsync(
        FurloughDb db,
        RelocationRow row,
        LiveHub live,
        CancellationToken stop
    ) =>
        Of(
            row,
            await db
                .Machines.Where(m => m.Id == row.Machine)
                .Select(m => new SeenMachine(m.Id, m.Name, m.Room, m.LastSeen))
                .SingleAsync(stop),
            live,
            await db.Originals.AnyAsync(o => o.Relocation == row.Number, stop)
        );

    /// <summary>The view of a relocation: where the data lives is unknown while its machine is silent.</summary>
    public static RelocationView Of(RelocationRow row, SeenMachine machine, LiveHub live, bool hasOriginal)
    {
        var planned = Column.PlannedOf(row);
        var silent = live.IsSilent(machine.Id, machine.LastSeen);
        var known = silent ? live.LastSeen(machine.Id, machine.LastSeen) ?? row.AsOf : row.AsOf;
        return new RelocationView
        {
            Number = row.Number,
            Run = row.Run,
            Machine = machine.Name,
            Room = machine.Room,
            Account = row.Account,
            Holding = row.Holding,
            State = row.State,
            Step = row.Step,
            Live = silent ? Live.Unknown : row.Live,
            AsOf = known > row.AsOf ? known : row.AsOf,
            Source = planned.SourceShown,
            Target = planned.TargetShown,
            Method = planned.Method,
            Wave = row.Wave,
            Files = planned.Files,
            DataBytes = row.DataBytes,
            Failure = row.Failure is null ? null : Column.Read(row.Failure, ModelJson.Default.Failure),
            Progress = row.State.IsAtRest() ? null : live.ProgressOf(row.Number),
            Pointers = row.Pointers is null
                ? []
                : Column.Read(row.Pointers, ModelJson.Default.IReadOnlyListPointerHistory),
            Notes = row.Notes?.Split('\n') ?? [],
            HasOriginal = hasOriginal,
            Forecast = planned.Forecast,
            Times = row.Times is null ? [] : Column.Read(row.Times, ModelJson.Default.IReadOnlyListStepTime),
        };
    }
}
