using System.Collections.Concurrent;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Service.Plans;
using Furlough.Service.Storage;

namespace Furlough.Service.Runs;

/// <summary>When relocations of a run may begin.</summary>
/// <param name="Open">Its allowed hours; null where all are allowed.</param>
/// <param name="Attended">Some of its relocations wait for a person.</param>
/// <param name="ErrandsWithin">How long people have for what they are asked to do.</param>
public sealed record RunTimes(OpenTimes? Open, bool Attended, TimeSpan ErrandsWithin);

/// <summary>
/// When relocations of runs may begin, from each run's plan and its brief; read once and kept in memory, for every
/// agent's poll asks.
/// </summary>
public sealed class RunHours(TimeProvider time)
{
    private readonly ConcurrentDictionary<long, RunTimes> _runs = new();

    /// <summary>The times of a run.</summary>
    public async Task<RunTimes> OfAsync(FurloughDb db, RunRow run, CancellationToken stop)
    {
        if (_runs.TryGetValue(run.Number, out var known))
            return known;
        var body = Column.Read((await Find.PlanAsync(db, run.Plan, stop)).Body, ModelJson.Default.PlanBody);
        // What was taken over from machines has no brief any more.
        if (body.Brief.Length == 0)
            return _runs[run.Number] = new RunTimes(null, false, Brief.UsualErrandsWithin);
        var brief = BriefReader.Read(body.Brief);
        return _runs[run.Number] = new RunTimes(
            brief.Hours is null ? null : new OpenTimes(brief.Hours, time),
            body.Relocations.Any(r => r.Attended),
            brief.ErrandsWithin
        );
    }
}

/// <summary>The stretches of allowed hours around the present.</summary>
public sealed class OpenTimes(AllowedHours hours, TimeProvider time)
{
    private static readonly TimeSpan WorkedOutFor = TimeSpan.FromDays(1);
    private readonly Lock _lock = new();
    private IReadOnlyList<OpenHours> _open = [];
    private DateTimeOffset _from = DateTimeOffset.MinValue;

    /// <summary>The stretch that is open now, or else the next one; null when none is to come.</summary>
    public OpenHours? Next => Ahead(time.GetUtcNow()).FirstOrDefault();

    /// <summary>Whether the hours are open now.</summary>
    public bool IsOpen => Fits(time.GetUtcNow(), TimeSpan.Zero);

    /// <summary>Whether hours are open at a moment, and what is left of them is long enough.</summary>
    public bool Fits(DateTimeOffset now, TimeSpan work) =>
        Ahead(now).FirstOrDefault() is { } next && next.From <= now && now + work <= next.To;

    /// <summary>A calendar that can be worked out no longer allows nothing.</summary>
    private IReadOnlyList<OpenHours> WorkedOut(DateTimeOffset now)
    {
        try
        {
            return hours.After(now);
        }
        catch (FormatException)
        {
            return [];
        }
    }

    private IEnumerable<OpenHours> Ahead(DateTimeOffset now)
    {
        lock (_lock)
        {
            if (now < _from || now - _from > WorkedOutFor)
                (_open, _from) = (WorkedOut(now), now);
            return _open.SkipWhile(h => h.To <= now);
        }
    }
}
