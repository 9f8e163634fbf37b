using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Access;

/// <summary>Tokens: made, listed, replaced, revoked; and the sessions that were ended.</summary>
public sealed class Tokens(Store store, TimeProvider time)
{
    private const int LongestDays = 3_650;

    /// <summary>Longer than any cookie of a session is valid.</summary>
    private static readonly TimeSpan LongestSession = TimeSpan.FromDays(60);

    /// <summary>The token's row, when it is known and not expired.</summary>
    public Task<TokenRow?> FindAsync(string token, CancellationToken stop)
    {
        var hash = Secrets.Hash(token);
        return store.ReadAsync(
            async db =>
                await db.Tokens.FirstOrDefaultAsync(t => t.Hash == hash, stop) is { } row
                && row.IsValid(time.GetUtcNow())
                    ? row
                    : null,
            stop
        );
    }

    /// <summary>The token by which someone was recognised; null when it is valid no longer, or the session has
    /// ended.</summary>
    /// <param name="session">The console session; empty for none.</param>
    public async Task<TokenRow?> StillValidAsync(Guid token, Guid session, CancellationToken stop)
    {
        var row = await store.ReadAsync(
            async db =>
                await db.EndedSessions.AnyAsync(s => s.Id == session, stop)
                    ? null
                    : await db.Tokens.FindAsync([token], stop),
            stop
        );
        return row?.IsValid(time.GetUtcNow()) == true ? row : null;
    }

    /// <summary>A console session ends: anyone who has a copy of its cookie is out as well.</summary>
    public Task EndSessionAsync(Guid session, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                var longAgo = time.GetUtcNow() - LongestSession;
                db.EndedSessions.RemoveRange(await db.EndedSessions.Where(s => s.At < longAgo).ToListAsync(stop));
                if (!await db.EndedSessions.AnyAsync(s => s.Id == session, stop))
                    db.EndedSessions.Add(new EndedSessionRow { Id = session, At = time.GetUtcNow() });
                return 0;
            },
            stop
        );

    /// <summary>All, by name.</summary>
    public Task<List<TokenView>> ListAsync(CancellationToken stop) =>
        store.ReadAsync(async db => (await db.Tokens.OrderBy(t => t.Name).ToListAsync(stop)).ConvertAll(View), stop);

    /// <summary>Makes one; its secret is told this once.</summary>
    /// <exception cref="RefusedException"><c>days-refused</c>, <c>name-taken</c></exception>
    public Task<TokenMade> MakeAsync(TokenRequest request, string who, CancellationToken stop)
    {
        NewName.Require(request.Name, "A token");
        RequireDays(request.Days);
        return store.WriteAsync(
            async db =>
            {
                if (await db.Tokens.AnyAsync(t => t.Name == request.Name, stop))
                    throw RefusedException.Conflict(
                        "name-taken",
                        $"There is a token called {request.Name} already.",
                        "Choose another name."
                    );
                var secret = Secrets.Make("flt-");
                db.Tokens.Add(
                    new TokenRow
                    {
                        Id = Guid.CreateVersion7(),
                        Name = request.Name,
                        Level = request.Level,
                        Hash = Secrets.Hash(secret),
                        Expires = request.Days is { } d ? time.GetUtcNow().AddDays(d) : null,
                        MadeBy = who,
                        MadeAt = time.GetUtcNow(),
                    }
                );
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.TokenMade,
                    About.Token(request.Name),
                    detail: request.Level.Word()
                );
                return new TokenMade(request.Name, request.Level, secret);
            },
            stop
        );
    }

    private static void RequireDays(int? days)
    {
        if (days is < 1 or > LongestDays)
            throw new RefusedException(
                RefusalKind.Malformed,
                "days-refused",
                $"A token is valid for 1 to {LongestDays} days, or without an end.",
                "Give other days, or leave them out."
            );
    }

    /// <summary>A token and every console session that was begun with it end.</summary>
    /// <exception cref="RefusedException"><c>revoked-already</c>, <c>last-steward</c></exception>
    public Task<TokenView> RevokeAsync(string name, string who, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                var now = time.GetUtcNow();
                var row = await db.Tokens.FirstOrDefaultAsync(t => t.Name == name, stop)
                    ?? throw RefusedException.Missing($"token {name}", "See `furlough access list`.");
                if (row.RevokedAt is { } already)
                    throw RefusedException.Conflict(
                        "revoked-already",
                        $"The token of {name} was revoked at {already:yyyy-MM-dd HH:mm}Z.",
                        "Nothing is left to do."
                    );
                if (
                    row.Level == AccessLevel.Steward
                    && !(
                        await db.Tokens.Where(t => t.Level == AccessLevel.Steward && t.Id != row.Id).ToListAsync(stop)
                    ).Exists(t => t.IsValid(now))
                )
                    throw RefusedException.Conflict(
                        "last-steward",
                        $"{name} is the last steward: nobody could give access any more.",
                        "Make another steward first: `furlough access add NAME --level steward`."
                    );
                row.RevokedAt = now;
                db.Record(now, who, HistoryEvent.TokenRevoked, About.Token(name));
                return View(row);
            },
            stop
        );

    /// <summary>
    /// A new secret in place of the old one: that ends at once, and the console sessions that were begun with it.
    /// </summary>
    /// <exception cref="RefusedException"><c>token-ended</c></exception>
    public Task<TokenMade> ReplaceAsync(string name, string who, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                var now = time.GetUtcNow();
                var row = await db.Tokens.FirstOrDefaultAsync(t => t.Name == name, stop)
                    ?? throw RefusedException.Missing($"token {name}", "See `furlough access list`.");
                if (!row.IsValid(now))
                    throw RefusedException.Conflict(
                        "token-ended",
                        $"The token of {row.Name} has ended, and cannot be replaced.",
                        "Make one of another name: `furlough access add NAME --level LEVEL`."
                    );
                var secret = Secrets.Make("flt-");
                db.Tokens.Remove(row);
                // Another row: sessions are known by it.
                db.Tokens.Add(
                    new TokenRow
                    {
                        Id = Guid.CreateVersion7(),
                        Name = row.Name,
                        Level = row.Level,
                        Hash = Secrets.Hash(secret),
                        Expires = row.Expires,
                        MadeBy = who,
                        MadeAt = now,
                    }
                );
                db.Record(now, who, HistoryEvent.TokenReplaced, About.Token(row.Name));
                return new TokenMade(row.Name, row.Level, secret);
            },
            stop
        );

    private static TokenView View(TokenRow row) =>
        new(row.Name, row.Level, row.MadeBy, row.MadeAt, row.Expires, row.RevokedAt);
}
