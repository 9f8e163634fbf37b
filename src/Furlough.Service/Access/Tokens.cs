using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access.People;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Access;

/// <summary>Tokens: made, listed, replaced, revoked; and the sessions that were ended.</summary>
public sealed class Tokens(Store store, SignIns signIns, TimeProvider time)
{
    private const int LongestDays = 3_650;

    /// <summary>Longer than any cookie of a session is valid.</summary>
    private static readonly TimeSpan LongestSession = TimeSpan.FromDays(60);

    /// <summary>The token's row, when it is known and valid.</summary>
    public async Task<TokenRow?> FindAsync(string token, CancellationToken stop)
    {
        var hash = Secrets.Hash(token);
        return await ValidAsync(
            await store.ReadAsync(db => db.Tokens.FirstOrDefaultAsync(t => t.Hash == hash, stop), stop),
            stop
        );
    }

    /// <summary>The token by which someone was recognised; null when it is valid no longer, or the session has
    /// ended.</summary>
    /// <param name="session">The console session; empty for none.</param>
    public async Task<TokenRow?> StillValidAsync(Guid token, Guid session, CancellationToken stop) =>
        await ValidAsync(
            await store.ReadAsync(
                async db =>
                    await db.EndedSessions.AnyAsync(s => s.Id == session, stop)
                        ? null
                        : await db.Tokens.FindAsync([token], stop),
                stop
            ),
            stop
        );

    private async Task<TokenRow?> ValidAsync(TokenRow? row, CancellationToken stop) =>
        row?.IsValid(time.GetUtcNow()) == true ? await signIns.CheckedAsync(row, stop) : null;

    /// <summary>Someone signs out who signed in with the provider; a token that a steward made stays.</summary>
    public Task EndSignInAsync(Guid token, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                if (await db.Tokens.FindAsync([token], stop) is { Subject: not null } row)
                    db.Tokens.Remove(row);
                return 0;
            },
            stop
        );

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
                var (now, named) = (time.GetUtcNow(), await MadeAsync(db, request.Name, stop));
                if (named.Exists(t => t.IsValid(now)))
                    throw RefusedException.Conflict(
                        "name-taken",
                        $"There is a token called {request.Name} already.",
                        "Choose another name."
                    );
                db.Tokens.RemoveRange(named);
                var secret = Secrets.Make("flt-");
                db.Tokens.Add(
                    new TokenRow
                    {
                        Id = Guid.CreateVersion7(),
                        Name = request.Name,
                        Level = request.Level,
                        Hash = Secrets.Hash(secret),
                        Expires = request.Days is { } d ? now.AddDays(d) : null,
                        MadeBy = who,
                        MadeAt = now,
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

    /// <summary>What stewards made under a name: one that is valid, or some that are not.</summary>
    private static Task<List<TokenRow>> MadeAsync(FurloughDb db, string name, CancellationToken stop) =>
        db.Tokens.Where(t => t.Name == name && t.Subject == null).ToListAsync(stop);

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

    /// <summary>
    /// All tokens of a name end, also those by which its person signed in with the provider, and every console session that
    /// was begun with them.
    /// </summary>
    /// <exception cref="RefusedException"><c>revoked-already</c>, <c>last-steward</c></exception>
    public Task<TokenView> RevokeAsync(string name, string who, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                var now = time.GetUtcNow();
                var rows = await db.Tokens.Where(t => t.Name == name).ToListAsync(stop);
                if (rows.Count == 0)
                    throw RefusedException.Missing($"token {name}", "See `furlough access list`.");
                var valid = rows.FindAll(t => t.IsValid(now));
                if (valid.Count == 0)
                    throw RefusedException.Conflict(
                        "revoked-already",
                        rows[0].RevokedAt is { } already
                            ? $"The token of {name} was revoked at {already:yyyy-MM-dd HH:mm}Z."
                            : $"The token of {name} has expired.",
                        "Nothing is left to do."
                    );
                if (valid.Exists(IsLasting) && !await HasOtherStewardAsync(db, name, now, stop))
                    throw RefusedException.Conflict(
                        "last-steward",
                        $"{name} is the last steward: nobody could give access any more.",
                        "Make another steward first: `furlough access add NAME --level steward`."
                    );
                foreach (var row in valid)
                    row.RevokedAt = now;
                db.Record(now, who, HistoryEvent.TokenRevoked, About.Token(name));
                return View(valid[0]);
            },
            stop
        );

    /// <summary>A steward's token that no provider can end.</summary>
    private static bool IsLasting(TokenRow row) => row is { Level: AccessLevel.Steward, Subject: null };

    private static async Task<bool> HasOtherStewardAsync(
        FurloughDb db,
        string name,
        DateTimeOffset now,
        CancellationToken stop
    ) =>
        (await db.Tokens.Where(t => t.Level == AccessLevel.Steward && t.Name != name).ToListAsync(stop)).Exists(t =>
            IsLasting(t) && t.IsValid(now)
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
                var named = await MadeAsync(db, name, stop);
                if (named.Count == 0)
                    throw RefusedException.Missing($"token {name}", "See `furlough access list`.");
                var row = named.Find(t => t.IsValid(now))
                    ?? throw RefusedException.Conflict(
                        "token-ended",
                        $"The token of {name} has ended, and cannot be replaced.",
                        $"Make a new one: `furlough access add {name} --level LEVEL`."
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
