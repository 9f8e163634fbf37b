using System.Security.Claims;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Authentication;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Access;

/// <summary>Console sessions and tokens.</summary>
public static class AccessEndpoints
{
    /// <summary>A header that no foreign page can send: unsafe calls with a session cookie need it.</summary>
    public const string ConsoleHeader = "X-Furlough-Console";

    /// <summary>The limit of attempts to sign in.</summary>
    public const string SignInLimit = "sign-in";

    private const int LongestDays = 3_650;

    /// <summary>Longer than any cookie of a session is valid.</summary>
    private static readonly TimeSpan LongestSession = TimeSpan.FromDays(60);

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost(
                "/session",
                async (SignIn signIn, Store store, TimeProvider time, HttpContext context, CancellationToken stop) =>
                {
                    var token = await TokenAuthentication.FindAsync(store, signIn.Token, time.GetUtcNow(), stop)
                        ?? throw new ProblemException(
                            401,
                            "token-unknown",
                            "This token is not known here, or it has expired.",
                            "The first token stands in the file `steward-token` of the service's data folder."
                        );
                    await context.SignInAsync(
                        TokenAuthentication.Session,
                        TokenAuthentication.Principal(token, TokenAuthentication.Session, Guid.NewGuid())
                    );
                    return new Identity(token.Name, token.Level);
                }
            )
            .RequireRateLimiting(SignInLimit)
            .AllowAnonymous();
        api.MapDelete("/session", async (Store store, TimeProvider time, HttpContext context, CancellationToken stop) =>
            {
                // Anyone who has a copy of the cookie is out as well.
                if (
                    await context.AuthenticateAsync(TokenAuthentication.Session) is { Principal: { } who }
                    && TokenAuthentication.SessionOf(who) is var session
                    && session != Guid.Empty
                )
                    await store.WriteAsync(
                        async db =>
                        {
                            var longAgo = time.GetUtcNow() - LongestSession;
                            db.EndedSessions.RemoveRange(
                                await db.EndedSessions.Where(s => s.At < longAgo).ToListAsync(stop)
                            );
                            if (!await db.EndedSessions.AnyAsync(s => s.Id == session, stop))
                                db.EndedSessions.Add(new EndedSessionRow { Id = session, At = time.GetUtcNow() });
                            return 0;
                        },
                        stop
                    );
                await context.SignOutAsync(TokenAuthentication.Session);
                return TypedResults.NoContent();
            })
            .AllowAnonymous();
        api.MapPost("/tokens", MakeTokenAsync).For(AccessLevel.Steward);
        api.MapGet("/tokens", (Store store, CancellationToken stop) =>
                store.ReadAsync(
                    async db => (await db.Tokens.OrderBy(t => t.Name).ToListAsync(stop)).ConvertAll(View),
                    stop
                )
            )
            .For(AccessLevel.Steward);
        api.MapPost("/tokens/replacements", ReplaceAsync).For(AccessLevel.Steward);
        // Names of older versions may have a slash in them.
        api.MapDelete("/tokens/{**name}", RevokeAsync).For(AccessLevel.Steward);
    }

    /// <summary>
    /// A session cookie alone is not enough for unsafe calls: the console adds a header that other pages cannot.
    /// </summary>
    public static async Task RequireConsoleHeader(HttpContext context, Func<Task> next)
    {
        var unsafeCall = !HttpMethods.IsGet(context.Request.Method) && !HttpMethods.IsHead(context.Request.Method);
        if (
            unsafeCall
            && context.User.Identity is ClaimsIdentity { AuthenticationType: TokenAuthentication.Session }
            && !context.Request.Headers.ContainsKey(ConsoleHeader)
        )
            throw new ProblemException(
                403,
                "foreign-page",
                "This call came with a console session but not from the console.",
                "Use a token for scripts."
            );
        await next();
    }

    private static Task<TokenMade> MakeTokenAsync(
        TokenRequest request,
        Store store,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        NewName.Require(request.Name, "A token");
        if (request.Days is < 1 or > LongestDays)
            throw new ProblemException(
                400,
                "days-refused",
                $"A token is valid for 1 to {LongestDays} days, or without an end.",
                "Give other days, or leave them out."
            );
        return store.WriteAsync(
            async db =>
            {
                if (await db.Tokens.AnyAsync(t => t.Name == request.Name, stop))
                    throw ProblemException.Conflict(
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
                        MadeBy = context.Who(),
                        MadeAt = time.GetUtcNow(),
                    }
                );
                db.Record(time.GetUtcNow(), context.Who(), "token made", request.Name, null, request.Level.Word());
                return new TokenMade(request.Name, request.Level, secret);
            },
            stop
        );
    }

    /// <summary>A token and every console session that was begun with it end.</summary>
    private static Task<TokenView> RevokeAsync(
        string name,
        Store store,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    ) =>
        store.WriteAsync(
            async db =>
            {
                name = Uri.UnescapeDataString(name);
                var now = time.GetUtcNow();
                var row = await db.Tokens.FirstOrDefaultAsync(t => t.Name == name, stop)
                    ?? throw ProblemException.Missing($"token {name}", "See `furlough access list`.");
                if (row.RevokedAt is { } already)
                    throw ProblemException.Conflict(
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
                    throw ProblemException.Conflict(
                        "last-steward",
                        $"{name} is the last steward: nobody could give access any more.",
                        "Make another steward first: `furlough access add NAME --level steward`."
                    );
                row.RevokedAt = now;
                db.Record(now, context.Who(), "token revoked", name);
                return View(row);
            },
            stop
        );

    /// <summary>
    /// A new secret in place of the old one: that ends at once, and the console sessions that were begun with it.
    /// </summary>
    private static Task<TokenMade> ReplaceAsync(
        TokenReplacement request,
        Store store,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    ) =>
        store.WriteAsync(
            async db =>
            {
                var now = time.GetUtcNow();
                var row = await db.Tokens.FirstOrDefaultAsync(t => t.Name == request.Name, stop)
                    ?? throw ProblemException.Missing($"token {request.Name}", "See `furlough access list`.");
                if (!row.IsValid(now))
                    throw ProblemException.Conflict(
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
                        MadeBy = context.Who(),
                        MadeAt = now,
                    }
                );
                db.Record(now, context.Who(), "token replaced", row.Name);
                return new TokenMade(row.Name, row.Level, secret);
            },
            stop
        );

    private static TokenView View(TokenRow row) =>
        new(row.Name, row.Level, row.MadeBy, row.MadeAt, row.Expires, row.RevokedAt);
}
