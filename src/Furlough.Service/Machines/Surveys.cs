using Furlough.Model;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>A machine with its latest survey, as stored.</summary>
/// <param name="Body">JSON; null where there is no survey.</param>
internal sealed record SurveyedMachine(MachineRow Machine, string? Body)
{
    internal Survey? Read() => Body is null ? null : Column.Read(Body, ModelJson.Default.Survey);
}

/// <summary>
/// The latest surveys. They are long, so they stand in a table of their own: what is done about a machine seldom needs
/// its survey.
/// </summary>
internal static class Surveys
{
    /// <summary>A machine's; null where there is none.</summary>
    internal static async Task<Survey?> OfAsync(FurloughDb db, Guid machine, CancellationToken stop) =>
        await db.Surveys.Where(s => s.Machine == machine).Select(s => s.Body).FirstOrDefaultAsync(stop) is { } body
            ? Column.Read(body, ModelJson.Default.Survey)
            : null;

    /// <summary>Those of some machines; machines without one are missing.</summary>
    internal static async Task<Dictionary<Guid, Survey>> OfAsync(
        FurloughDb db,
        IReadOnlyCollection<Guid> machines,
        CancellationToken stop
    ) =>
        await db
            .Surveys.Where(s => machines.Contains(s.Machine))
            .ToDictionaryAsync(s => s.Machine, s => Column.Read(s.Body, ModelJson.Default.Survey), stop);

    /// <summary>Machines by name, each with its survey; one after the other, for all of them are much.</summary>
    /// <param name="some">Null for all.</param>
    internal static IAsyncEnumerable<SurveyedMachine> WithMachines(FurloughDb db, IReadOnlyCollection<Guid>? some) =>
        db
            .Machines.Where(m => some == null || some.Contains(m.Id))
            .OrderBy(m => m.Name)
            .GroupJoin(db.Surveys, m => m.Id, s => s.Machine, (m, s) => new { Machine = m, Surveys = s })
            .SelectMany(m => m.Surveys.DefaultIfEmpty(), (m, s) => new SurveyedMachine(m.Machine, s!.Body))
            .AsAsyncEnumerable();

    /// <summary>Keeps the latest.</summary>
    internal static async Task KeepAsync(FurloughDb db, Guid machine, string body, CancellationToken stop)
    {
        if (await db.Surveys.FindAsync([machine], stop) is { } row)
            row.Body = body;
        else
            db.Surveys.Add(new SurveyRow { Machine = machine, Body = body });
    }
}
