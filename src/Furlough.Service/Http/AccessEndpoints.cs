using System.Security.Claims;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Console sessions and tokens.</summary>
internal static class AccessEndpoints
{
    /// <summary>A header that no foreign page can send: unsafe calls with a session cookie need it.</summary>
    internal const string ConsoleHeader = "X-Furlough-Console";

    /// <summary>The limit of attempts to sign in.</summary>
    internal const string SignInLimit = "sign-in";

    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/session", SignInAsync).RequireRateLimiting(SignInLimit).AllowAnonymous();
        api.MapDelete("/session", SignOutAsync).AllowAnonymous();
        api.MapPost("/tokens", (TokenRequest request, Tokens tokens, HttpContext context, CancellationToken stop) =>
                tokens.MakeAsync(request, context.Who(), stop)
            )
            .For(AccessLevel.Steward);
        api.MapGet("/tokens", (Tokens tokens, CancellationToken stop) => tokens.ListAsync(stop))
            .For(AccessLevel.Steward);
        api.MapPost(
                "/tokens/replacements",
                (TokenReplacement request, Tokens tokens, HttpContext context, CancellationToken stop) =>
                    tokens.ReplaceAsync(request.Name, context.Who(), stop)
            )
            .For(AccessLevel.Steward);
        // Names of older versions may have a slash in them.
        api.MapDelete("/tokens/{**name}", (string name, Tokens tokens, HttpContext context, CancellationToken stop) =>
                tokens.RevokeAsync(Uri.UnescapeDataString(name), context.Who(), stop)
            )
            .For(AccessLevel.Steward);
    }

    /// <summary>
    /// A session cookie alone is not enough for unsafe calls: the console adds a header that other pages cannot.
    /// </summary>
    internal static async Task RequireConsoleHeader(HttpContext context, Func<Task> next)
    {
        var unsafeCall = !HttpMethods.IsGet(context.Request.Method) && !HttpMethods.IsHead(context.Request.Method);
        if (
            unsafeCall
            && context.User.Identity is ClaimsIdentity { AuthenticationType: TokenAuthentication.Session }
            && !context.Request.Headers.ContainsKey(ConsoleHeader)
        )
            throw new RefusedException(
                RefusalKind.NotAllowed,
                "foreign-page",
                "This call came with a console session but not from the console.",
                "Use a token for scripts."
            );
        await next();
    }

    private static async Task<Identity> SignInAsync(
        SignIn signIn,
        Tokens tokens,
        HttpContext context,
        CancellationToken stop
    )
    {
        var token = await tokens.FindAsync(signIn.Token, stop)
            ?? throw new RefusedException(
                RefusalKind.NotSignedIn,
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

    private static async Task<NoContent> SignOutAsync(Tokens tokens, HttpContext context, CancellationToken stop)
    {
        var who = (await context.AuthenticateAsync(TokenAuthentication.Session)).Principal ?? context.User;
        if (TokenAuthentication.SessionOf(who) is var session && session != Guid.Empty)
            await tokens.EndSessionAsync(session, stop);
        if (TokenAuthentication.IdOf(who) is { } token)
            await tokens.EndSignInAsync(token, stop);
        await context.SignOutAsync(TokenAuthentication.Session);
        return TypedResults.NoContent();
    }
}
