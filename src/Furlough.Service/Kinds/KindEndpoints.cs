using Furlough.Model;
using Furlough.Planning.Kinds;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Kinds;

/// <summary>Kind cards: check, add, list, show, remove.</summary>
public static class KindEndpoints
{
    private const int MostKinds = 200,
        MostPatterns = 100;

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/kinds/check", (KindText text) => Read(text.Card)).For(AccessLevel.Reader);
        api.MapPost("/kinds/try", TryAsync).For(AccessLevel.Steward);
        api.MapPost("/kinds", AddAsync).For(AccessLevel.Steward);
        api.MapGet("/kinds", (Store store, CancellationToken stop) =>
                store.ReadAsync(
                    async db =>
                        BuiltInKinds
                            .All.Select(View)
                            .Concat((await db.Kinds.ToListAsync(stop)).Select(View))
                            .OrderBy(k => k.Kind.Name, StringComparer.Ordinal)
                            .ToList(),
                    stop
                )
            )
            .For(AccessLevel.Reader);
        api.MapGet("/kinds/{name}", (string name, Store store, CancellationToken stop) =>
                store.ReadAsync(
                    async db =>
                        BuiltInKinds.All.FirstOrDefault(k => k.Card.Name == name) is { Card: not null } own
                            ? View(own)
                            : View(await FindAsync(db, name, stop)),
                    stop
                )
            )
            .For(AccessLevel.Reader);
        api.MapDelete("/kinds/{name}", RemoveAsync).For(AccessLevel.Steward);
    }

    internal static IReadOnlyList<string> PatternsOf(KindRow row) =>
        row.On.Split('\n', StringSplitOptions.RemoveEmptyEntries);

    private static async Task<KindView> AddAsync(
        KindText text,
        Store store,
        KindDesk desk,
        DocketSignals signals,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        var card = Read(text.Card);
        if (BuiltInKinds.All.Any(k => k.Card.Name == card.Name))
            throw ProblemException.Conflict(
                "kind-built-in",
                $"The kind {card.Name} comes with the product.",
                "Give the card another name."
            );
        var on = text.On ?? [];
        if (on.Count > MostPatterns || on.Any(p => p.Length is 0 or > 100 || p.Any(char.IsControl)))
            throw new ProblemException(
                400,
                "machines-refused",
                $"A kind card is for machines by at most {MostPatterns} names or patterns.",
                "Leave --on out for all."
            );
        var view = await store.WriteAsync(
            async db =>
            {
                if (await db.Kinds.FindAsync([card.Name], stop) is { } row)
                    (row.Card, row.On, row.AddedBy, row.AddedAt) = (
                        text.Card,
                        string.Join('\n', on),
                        context.Who(),
                        time.GetUtcNow()
                    );
                else
                {
                    if (await db.Kinds.CountAsync(stop) >= MostKinds)
                        throw ProblemException.Conflict(
                            "kinds-too-many",
                            $"There are {MostKinds} kind cards already.",
                            "Remove one with `furlough kind remove NAME`."
                        );
                    db.Kinds.Add(
                        row = new KindRow
                        {
                            Name = card.Name,
                            Card = text.Card,
                            On = string.Join('\n', on),
                            AddedBy = context.Who(),
                            AddedAt = time.GetUtcNow(),
                        }
                    );
                }
                db.Record(
                    time.GetUtcNow(),
                    context.Who(),
                    "kind card added",
                    card.Name,
                    null,
                    on.Count == 0 ? "all machines" : string.Join(", ", on)
                );
                return View(row);
            },
            stop
        );
        await TellAsync(store, desk, signals, stop);
        return view;
    }

    /// <summary>Has one machine look for what a card describes, and says what it found; the card is not kept.</summary>
    private static async Task<KindTrial> TryAsync(
        KindTrialRequest request,
        Store store,
        KindDesk desk,
        Freshness freshness,
        DocketSignals signals,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        var card = Read(request.Card);
        var machine = await store.ReadAsync(
            db => db.Machines.FirstOrDefaultAsync(m => m.Name == request.Machine, stop),
            stop
        ) ?? throw ProblemException.Missing($"machine {request.Machine}", "See `furlough machine list`.");
        if (!desk.Try(machine.Name, card))
            throw ProblemException.Conflict(
                "trial-under-way",
                $"Another kind card is tried on {machine.Name} just now.",
                "Try again in a minute."
            );
        try
        {
            if (!await freshness.SurveyAsync(machine.Id, stop))
                throw ProblemException.Conflict(
                    "machine-silent",
                    $"{machine.Name} did not survey itself in time; nothing has changed.",
                    "Try again when it is there, or on another machine."
                );
            return await store.WriteAsync(
                async db =>
                {
                    db.Record(time.GetUtcNow(), context.Who(), "kind card tried", card.Name, null, machine.Name);
                    var survey = Column.SurveyOf((await db.Machines.FindAsync([machine.Id], stop))!);
                    return new KindTrial(
                        card,
                        machine.Name,
                        [.. survey?.Holdings.Where(h => h.Name.Name == card.Name && h.Name.Kind == card.Holds) ?? []],
                        survey?.CommonFolders.FirstOrDefault(f => f.Name == card.Name),
                        [.. survey?.Notes.Where(n => n.Contains(card.Name, StringComparison.Ordinal)) ?? []]
                    );
                },
                stop
            );
        }
        finally
        {
            desk.EndTrial(machine.Name);
            signals.Raise([machine.Id]);
        }
    }

    private static async Task<IResult> RemoveAsync(
        string name,
        Store store,
        KindDesk desk,
        DocketSignals signals,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        await store.WriteAsync(
            async db =>
            {
                db.Kinds.Remove(await FindAsync(db, name, stop));
                db.Record(time.GetUtcNow(), context.Who(), "kind card removed", name);
                return 0;
            },
            stop
        );
        await TellAsync(store, desk, signals, stop);
        return TypedResults.NoContent();
    }

    /// <summary>All agents look again for what they have to survey.</summary>
    private static async Task TellAsync(Store store, KindDesk desk, DocketSignals signals, CancellationToken stop)
    {
        desk.Forget();
        signals.Raise(await store.ReadAsync(db => db.Machines.Select(m => m.Id).ToListAsync(stop), stop));
    }

    private static async Task<KindRow> FindAsync(FurloughDb db, string name, CancellationToken stop) =>
        await db.Kinds.FindAsync([name], stop)
        ?? throw ProblemException.Missing($"kind card {name}", "See `furlough kind list`.");

    private static KindView View((KindCard Card, string Text) builtIn) =>
        new(builtIn.Card, builtIn.Text, [], "built in", null);

    private static KindView View(KindRow row) =>
        new(KindCardReader.Read(row.Card), row.Card, PatternsOf(row), row.AddedBy, row.AddedAt);

    private static KindCard Read(string text)
    {
        try
        {
            return KindCardReader.Read(text);
        }
        catch (KindCardException wrong)
        {
            var first = wrong.Errors[0];
            throw new ProblemException(
                400,
                "kind-card-wrong",
                $"The kind card has {Words.Count(wrong.Errors.Count, "error")}. {first}",
                "Correct it; `furlough kind sample` shows every key.",
                $"line {first.Line}, column {first.Column}",
                [.. wrong.Errors.Select(e => e.ToString())]
            );
        }
    }
}
