using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Kinds;
using Furlough.Planning.Reading;
using Furlough.Protocol;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Kinds;

/// <summary>Signs the kind cards for agents, and keeps what it signed until they change.</summary>
public sealed class KindDesk
{
    private readonly SigningKey _key;
    private readonly ConcurrentDictionary<string, SignedKinds> _signed = new();
    private readonly ConcurrentDictionary<string, KindCard> _tried = new();
    private IReadOnlyList<(KindCard Card, IReadOnlyList<string> On)>? _cards;
    private int _changes;

    public KindDesk(SigningKey key, Store store)
    {
        _key = key;
        store.Stored += stored =>
        {
            if (stored.Kinds)
                Forget();
        };
    }

    /// <summary>The cards of a machine as they are now.</summary>
    public async Task<SignedKinds> SignedAsync(FurloughDb db, string machine, CancellationToken stop)
    {
        var cards = (await CardsAsync(db, stop))
            .Where(c => c.On.Count == 0 || c.On.Any(p => Pattern.Fits(p, machine)))
            .Select(c => c.Card)
            .ToList();
        if (_tried.TryGetValue(machine, out var tried))
            cards = [.. cards.Where(c => c.Name != tried.Name), tried];
        var body = JsonSerializer.SerializeToUtf8Bytes(cards, ModelJson.Default.IReadOnlyListKindCard);
        // An agent that has never received cards has none: that needs no message.
        var tag = cards.Count == 0 ? "" : Convert.ToHexStringLower(SHA256.HashData(body))[..16];
        return _signed.GetOrAdd(tag, t => new SignedKinds(t, Jws.Sign(_key, MessageType.Kinds, body)));
    }

    /// <summary>
    /// A card is for one machine besides the others, until <see cref="EndTrial"/>; false when another one is tried
    /// there.
    /// </summary>
    public bool Try(string machine, KindCard card) => _tried.TryAdd(machine, card);

    /// <summary>The machine looks for its own kinds alone again.</summary>
    public void EndTrial(string machine) => _tried.TryRemove(machine, out _);

    private void Forget()
    {
        Interlocked.Increment(ref _changes);
        Volatile.Write(ref _cards, null);
        _signed.Clear();
    }

    private async Task<IReadOnlyList<(KindCard Card, IReadOnlyList<string> On)>> CardsAsync(
        FurloughDb db,
        CancellationToken stop
    )
    {
        if (Volatile.Read(ref _cards) is { } kept)
            return kept;
        var changes = Volatile.Read(ref _changes);
        List<(KindCard, IReadOnlyList<string>)> cards =
        [
            .. BuiltInKinds.All.Select(k => (k.Card, (IReadOnlyList<string>)[])),
            .. (await db.Kinds.OrderBy(k => k.Name).ToListAsync(stop)).Select(k =>
                (KindCardReader.Read(k.Card), KindCards.PatternsOf(k))
            ),
        ];
        // Cards that were read while they changed are not kept.
        if (changes == Volatile.Read(ref _changes))
            Volatile.Write(ref _cards, cards);
        return cards;
    }
}
