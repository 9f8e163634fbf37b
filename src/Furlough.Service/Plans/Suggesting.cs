using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Plans;
using Furlough.Planning.Suggestions;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Plans;

/// <summary>What to relocate so that system volumes have space.</summary>
public sealed class Suggesting(Store store, LiveHub live, TimeProvider time)
{
    /// <summary>A brief that frees what is asked for.</summary>
    /// <exception cref="RefusedException"><c>goal-unclear</c>, <c>no-machine-meant</c></exception>
    public async Task<SuggestionView> SuggestAsync(SuggestRequest request, CancellationToken stop)
    {
        if (request.Free is null == request.Until is null)
            throw new RefusedException(
                RefusalKind.Malformed,
                "goal-unclear",
                "It is not clear how much space is wanted.",
                "Give either how much more is to be free, or how much is to be free at the end."
            );
        var gain = request.Free is { } free ? Amount(free) : null;
        if (gain is { AmountBytes: null })
            throw new RefusedException(
                RefusalKind.Malformed,
                "goal-unclear",
                $"`{request.Free}` is not a size.",
                "Give how much more is to be free as a size, such as `60 GB`."
            );
        var wish = new SpaceWish(
            new MachineChoice(request.Rooms, request.Machines, request.Except),
            gain?.AmountBytes,
            request.Until is { } until ? Amount(until) : null,
            Amount(request.Reserve),
            Weights.Usual
        );
        var fleet = await Fleet.AllAsync(store, live, stop);
        var experience = await store.ReadAsync(db => Learning.ExperienceAsync(db, stop), stop);
        var suggestions = new FleetSuggestion(wish, experience).Of(fleet);
        if (suggestions.Count == 0)
            throw new RefusedException(
                RefusalKind.Malformed,
                "no-machine-meant",
                "This means no machine of the fleet that has been surveyed.",
                "See `furlough machine list`."
            );
        var title = request.Free is not null
            ? $"Free {request.Free} on system volumes"
            : $"Until {request.Until} of system volumes are free";
        return new SuggestionView(
            FleetSuggestion.Brief(title, wish, suggestions),
            wish.Weights.ToString(),
            [.. suggestions.Select(View)],
            await OriginalsAsync(fleet, [.. suggestions.Select(s => s.Machine)], time.GetUtcNow(), stop)
        );
    }

    /// <summary>The originals on the system volumes of machines.</summary>
    private Task<KeptOriginals> OriginalsAsync(
        List<FleetMachine> fleet,
        HashSet<string> names,
        DateTimeOffset now,
        CancellationToken stop
    )
    {
        var systems = fleet
            .Where(m => names.Contains(m.Name))
            .ToDictionary(
                m => m.Id,
                m => m.Survey?.Volumes.Where(v => v.System).Select(v => v.Identity.Key).ToHashSet() ?? []
            );
        return store.ReadAsync(
            async db =>
                KeptOriginals.Of(
                    [
                        .. (await db.Originals.ToListAsync(stop))
                            .Where(o => systems.ContainsKey(o.Machine))
                            .Select(o =>
                                (o.Machine, Facts: Column.Read(o.Body, ModelJson.Default.OriginalFacts), o.KeptUntil)
                            )
                            .Where(o => systems[o.Machine].Contains(o.Facts.Source.Volume))
                            .Select(o => (o.Facts.DataBytes, o.KeptUntil)),
                    ],
                    now
                ),
            stop
        );
    }

    private static ReserveAmount Amount(string text) =>
        ReserveAmount.Find(text)
        ?? throw new RefusedException(
            RefusalKind.Malformed,
            "amount-malformed",
            $"`{text}` is not an amount of space.",
            "Give a size such as `60 GB` or a share such as `25%`."
        );

    private static MachineSuggestionView View(MachineSuggestion s) =>
        new(
            s.Machine,
            s.Room,
            s.WantedBytes,
            s.FreesBytes,
            s.Disturbance,
            s.Reached,
            s.Gap,
            [
                .. s.Moves.Select(m => new MoveView(
                    m.Holding.Account,
                    m.Holding.Name,
                    m.FreesBytes,
                    m.Target,
                    m.Work,
                    m.Outage,
                    m.Disturbance
                )),
            ],
            s.NextBest,
            s.NextBestDisturbance,
            s.Why
        );
}
