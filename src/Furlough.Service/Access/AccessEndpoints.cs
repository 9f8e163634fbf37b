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

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/session", async (SignIn signIn, Store store, TimeProvider time, HttpContext context, CancellationToken stop) =>
        {
            var token = await TokenAuthentication.FindAsync(store, signIn.Token, time.GetUtcNow(), stop)
                ?? throw new ProblemException(401, "token-unknown", "This token is not known here, or it has expired.", "The first token stands in the file `steward-token` of the service's data folder.");
            await context.SignInAsync(TokenAuthentication.Session, TokenAuthentication.Principal(token, TokenAuthentication.Session));
            return new Identity(token.Name, token.Role);
        }).AllowAnonymous();
        api.MapDelete("/session", async (HttpContext context) =>
        {
            await context.SignOutAsync(TokenAuthentication.Session);
            return TypedResults.NoContent();
        }).AllowAnonymous();
        api.MapPost("/tokens", MakeTokenAsync).For(Role.Steward);
    }

    /// <summary>A session cookie alone is not enough for unsafe calls: the console adds a header that other pages cannot.</summary>
    public static async Task RequireConsoleHeader(HttpContext context, Func<Task> next)
    {
        var unsafeCall = !HttpMethods.IsGet(context.Request.Method) && !HttpMethods.IsHead(context.Request.Method);
        if (unsafeCall && context.User.Identity is ClaimsIdentity { AuthenticationType: TokenAuthentication.Session } && !context.Request.Headers.ContainsKey(ConsoleHeader))
            throw new ProblemException(403, "foreign-page", "This call came with a console session but not from the console.", "Use a token for scripts.");
        await next();
    }

    private static Task<TokenMade> MakeTokenAsync(TokenRequest request, Store store, TimeProvider time, HttpContext context, CancellationToken stop)
    {
        if (request.Name is not { Length: > 0 and <= 100 }) throw new ProblemException(400, "name-missing", "A token needs a name of at most 100 characters.", "Say whose it is.");
        return store.WriteAsync(async db =>
        {
            if (await db.Tokens.AnyAsync(t => t.Name == request.Name, stop)) throw ProblemException.Conflict("name-taken", $"There is a token called {request.Name} already.", "Choose another name.");
            var secret = Secrets.Make("flt-");
            db.Tokens.Add(new TokenRow { Id = Guid.CreateVersion7(), Name = request.Name, Role = request.Role, Hash = Secrets.Hash(secret), Expires = request.Days is { } d ? time.GetUtcNow().AddDays(d) : null });
            db.Record(time.GetUtcNow(), context.Who(), "token made", request.Name, null, request.Role.Word());
            return new TokenMade(request.Name, request.Role, secret);
        }, stop);
    }
}
