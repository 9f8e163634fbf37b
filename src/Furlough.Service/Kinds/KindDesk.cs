using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Kinds;
using Furlough.Protocol;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Kinds;

/// <summary>Signs the kind cards for agents, and keeps what it signed until they change.</summary>
public sealed class KindDesk(SigningKey key)
{
    private SignedKinds? _signed;
    private int _changes;

    /// <summary>The cards as they are now.</summary>
    public async Task<SignedKinds> SignedAsync(FurloughDb db, CancellationToken stop)
    {
        if (Volatile.Read(ref _signed) is { } kept) return kept;
        var changes = Volatile.Read(ref _changes);
        var cards = (await db.Kinds.OrderBy(k => k.Name).Select(k => k.Card).ToListAsync(stop)).Select(KindCardReader.Read).ToList();
        var body = JsonSerializer.SerializeToUtf8Bytes(cards, ModelJson.Default.IReadOnlyListKindCard);
        // An agent that has never heard of cards has none: that needs no message.
        var signed = new SignedKinds(cards.Count == 0 ? "" : Convert.ToHexStringLower(SHA256.HashData(body))[..16], Jws.Sign(key, MessageType.Kinds, body));
        // Cards that were read while they changed are not kept.
        if (changes == Volatile.Read(ref _changes)) Volatile.Write(ref _signed, signed);
        return signed;
    }

    /// <summary>The cards have changed.</summary>
    public void Forget()
    {
        Interlocked.Increment(ref _changes);
        Volatile.Write(ref _signed, null);
    }
}
