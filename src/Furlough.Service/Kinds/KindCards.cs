using Furlough.Model;
using Furlough.Planning.Kinds;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.History;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Kinds;

/// <summary>Kind cards: checked, tried, added, listed, removed.</summary>
public sealed class KindCards(Store store, KindDesk desk, DocketSignals signals, TimeProvider time, Freshness freshness)
{
    private const int MostKinds = 200,
        MostPatterns = 100;

    /// <summary>All, with those that come with the product.</summary>
    public Task<List<KindView>> ListAsync(CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                BuiltInKinds
                    .All.Select(View)
                    .Concat((await db.Kinds.ToListAsync(stop)).Select(View))
                    .OrderBy(k => k.Kind.Name, StringComparer.Ordinal)
                    .ToList(),
            stop
        );

    /// <summary>One by its name.</summary>
    public Task<KindView> OneAsync(string name, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                BuiltInKinds.All.FirstOrDefault(k => k.Card.Name == name) is { Card: not null } own
                    ? View(own)
                    : View(await FindAsync(db, name, stop)),
            stop
        );

    internal static IReadOnlyList<string> PatternsOf(KindRow row) =>
        row.On.Split('\n', StringSplitOptions.RemoveEmptyEntries);

    /// <summary>Adds a card, or replaces the one of that name.</summary>
    /// <exception cref="RefusedException"><c>kind-built-in</c>, <c>machines-refused</c>,
    /// <c>kinds-too-many</c></exception>
    public async Task<KindView> AddAsync(KindText text, string who, CancellationToken stop)
    {
        var card = Read(text.Card);
        if (BuiltInKinds.All.Any(k => k.Card.Name == card.Name))
            throw RefusedException.Conflict(
                "kind-built-in",
                $"The kind {card.Name} comes with the product.",
                "Give the card another name."
            );
        var on = text.On ?? [];
        if (on.Count > MostPatterns || on.Any(p => p.Length is 0 or > 100 || p.Any(char.IsControl)))
            throw new RefusedException(
                RefusalKind.Malformed,
                "machines-refused",
                $"A kind card is for machines by at most {MostPatterns} names or patterns.",
                "Leave --on out for all."
            );
        return await store.WriteAsync(
            async db =>
            {
                if (await db.Kinds.FindAsync([card.Name], stop) is { } row)
                    (row.Card, row.On, row.AddedBy, row.AddedAt) = (
                        text.Card,
                        string.Join('\n', on),
                        who,
                        time.GetUtcNow()
                    );
                else
                {
                    if (await db.Kinds.CountAsync(stop) >= MostKinds)
                        throw RefusedException.Conflict(
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
                            AddedBy = who,
                            AddedAt = time.GetUtcNow(),
                        }
                    );
                }
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.KindCardAdded,
                    About.KindCard(card.Name),
                    detail: on.Count == 0 ? "all machines" : string.Join(", ", on)
                );
                await TellAsync(db, stop);
                return View(row);
            },
            stop
        );
    }

    /// <summary>Has one machine look for what a card describes, and says what it found; the card is not kept.</summary>
    /// <exception cref="RefusedException"><c>trial-under-way</c>, <c>machine-silent</c></exception>
    public async Task<KindTrial> TryAsync(KindTrialRequest request, string who, CancellationToken stop)
    {
        var card = Read(request.Card);
        var machine = await store.ReadAsync(
            db => db.Machines.FirstOrDefaultAsync(m => m.Name == request.Machine, stop),
            stop
        ) ?? throw Find.NoMachine(request.Machine);
        if (!desk.Try(machine.Name, card))
            throw RefusedException.Conflict(
                "trial-under-way",
                $"Another kind card is tried on {machine.Name} just now.",
                "Try again in a minute."
            );
        try
        {
            if (!await freshness.SurveyAsync(machine.Id, stop))
                throw RefusedException.Conflict(
                    "machine-silent",
                    $"{machine.Name} did not survey itself in time; nothing has changed.",
                    "Try again when it is there, or on another machine."
                );
            return await store.WriteAsync(
                async db =>
                {
                    db.Record(
                        time.GetUtcNow(),
                        who,
                        HistoryEvent.KindCardTried,
                        About.KindCard(card.Name),
                        detail: machine.Name
                    );
                    var survey = await Surveys.OfAsync(db, machine.Id, stop);
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

    /// <summary>Removes one; what was relocated stays where it is.</summary>
    public async Task RemoveAsync(string name, string who, CancellationToken stop)
    {
        await store.WriteAsync(
            async db =>
            {
                db.Kinds.Remove(await FindAsync(db, name, stop));
                db.Record(time.GetUtcNow(), who, HistoryEvent.KindCardRemoved, About.KindCard(name));
                await TellAsync(db, stop);
                return 0;
            },
            stop
        );
    }

    /// <summary>All agents look again for what they have to survey.</summary>
    private static async Task TellAsync(FurloughDb db, CancellationToken stop)
    {
        db.Effects.ChangeKinds();
        db.Effects.Wake(await db.Machines.Select(m => m.Id).ToListAsync(stop));
    }

    private static async Task<KindRow> FindAsync(FurloughDb db, string name, CancellationToken stop) =>
        await db.Kinds.FindAsync([name], stop)
        ?? throw RefusedException.Missing($"kind card {name}", "See `furlough kind list`.");

    private static KindView View((KindCard Card, string Text) builtIn) =>
        new(builtIn.Card, builtIn.Text, [], "built in", null);

    private static KindView View(KindRow row) =>
        new(KindCardReader.Read(row.Card), row.Card, PatternsOf(row), row.AddedBy, row.AddedAt);

    /// <summary>Reads a card.</summary>
    /// <exception cref="RefusedException"><c>kind-card-wrong</c>: names the line.</exception>
    public static KindCard Read(string text)
    {
        try
        {
            return KindCardReader.Read(text);
        }
        catch (KindCardException wrong)
        {
            var first = wrong.Errors[0];
            throw new RefusedException(
                RefusalKind.Malformed,
                "kind-card-wrong",
                $"The kind card has {Words.Count(wrong.Errors.Count, "error")}. {first}",
                "Correct it; `furlough kind sample` shows every key.",
                $"line {first.Line}, column {first.Column}",
                [.. wrong.Errors.Select(e => e.ToString())]
            );
        }
    }
}
