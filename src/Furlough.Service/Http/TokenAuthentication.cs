using System.Security.Claims;
using System.Text.Encodings.Web;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.Options;

namespace Furlough.Service.Http;

/// <summary>Recognises people and scripts by their token.</summary>
public sealed class TokenAuthentication(
    IOptionsMonitor<AuthenticationSchemeOptions> options,
    ILoggerFactory logger,
    UrlEncoder encoder,
    Tokens tokens
) : AuthenticationHandler<AuthenticationSchemeOptions>(options, logger, encoder)
{
    /// <summary>Name of the scheme.</summary>
    public const string Token = "token";

    /// <summary>Name of the console's session scheme.</summary>
    public const string Session = "session";

    private const string SessionClaim = "session",
        TokenClaim = "token";

    /// <summary>The identity as claims.</summary>
    /// <param name="session">Tells one console session of a token from another.</param>
    public static ClaimsPrincipal Principal(TokenRow token, string scheme, Guid session = default) =>
        new(
            new ClaimsIdentity(
                [
                    new Claim(ClaimTypes.Name, token.Name),
                    new Claim(ClaimTypes.Role, token.Level.Word()),
                    new Claim(TokenClaim, token.Id.ToString()),
                    new Claim(SessionClaim, session.ToString()),
                ],
                scheme
            )
        );

    /// <summary>A console session lasts no longer than its token, and has its access level of the moment.</summary>
    public static async Task ValidateSessionAsync(CookieValidatePrincipalContext session)
    {
        var tokens = session.HttpContext.RequestServices.GetRequiredService<Tokens>();
        if (
            session.Principal is { } who
            && await TokenOfAsync(who, tokens, session.HttpContext.RequestAborted) is { } token
        )
            session.ReplacePrincipal(Principal(token, Session, SessionOf(who)));
        else
            session.RejectPrincipal();
    }

    /// <summary>The token by which someone was recognised; null when it is valid no longer.</summary>
    public static Task<TokenRow?> TokenOfAsync(ClaimsPrincipal who, Tokens tokens, CancellationToken stop) =>
        IdOf(who) is { } id ? tokens.StillValidAsync(id, SessionOf(who), stop) : Task.FromResult<TokenRow?>(null);

    /// <summary>The token's identity; null for nobody.</summary>
    public static Guid? IdOf(ClaimsPrincipal who) =>
        Guid.TryParse(who.FindFirstValue(TokenClaim), out var id) ? id : null;

    /// <summary>The console session of the person who was recognised; empty for a token.</summary>
    public static Guid SessionOf(ClaimsPrincipal who) =>
        Guid.TryParse(who.FindFirstValue(SessionClaim), out var id) ? id : Guid.Empty;

    protected override async Task<AuthenticateResult> HandleAuthenticateAsync()
    {
        var header = Request.Headers.Authorization.ToString();
        if (!header.StartsWith("Bearer ", StringComparison.Ordinal) || Request.Path.StartsWithSegments("/api/v1/agent"))
            return AuthenticateResult.NoResult();
        return await tokens.FindAsync(header["Bearer ".Length..].Trim(), Context.RequestAborted) is { } row
            ? AuthenticateResult.Success(new AuthenticationTicket(Principal(row, Token), Token))
            : AuthenticateResult.Fail("unknown token");
    }

    protected override Task HandleChallengeAsync(AuthenticationProperties properties) =>
        ProblemWriter.WriteAsync(
            Context,
            new RefusedException(
                RefusalKind.NotSignedIn,
                "not-signed-in",
                "This call needs a token, and none that is valid was given.",
                "Give a token: --token, FURLOUGH_TOKEN, or sign in at the console."
            ),
            Context.RequestAborted
        );

    protected override Task HandleForbiddenAsync(AuthenticationProperties properties) =>
        ProblemWriter.WriteAsync(Context, AccessRules.LevelMissing(Context), Context.RequestAborted);
}

/// <summary>Access levels at endpoints.</summary>
public static class AccessRules
{
    /// <summary>Requires one of the access levels from <paramref name="least"/> on.</summary>
    public static TBuilder For<TBuilder>(this TBuilder endpoint, AccessLevel least)
        where TBuilder : IEndpointConventionBuilder =>
        endpoint.RequireAuthorization(p => p.RequireRole(Allowed(least))).WithMetadata(new LevelNeeded(least));

    private sealed record LevelNeeded(AccessLevel Least);

    /// <summary>Someone may not have what they asked for: names the level that they have, and those that may.</summary>
    internal static RefusedException LevelMissing(HttpContext context)
    {
        var has = context.User.FindFirstValue(ClaimTypes.Role);
        var needed = context.GetEndpoint()?.Metadata.GetMetadata<LevelNeeded>() is { } level
            ? string.Join(" or ", Allowed(level.Least))
            : "another one";
        return new RefusedException(
            RefusalKind.NotAllowed,
            "level-missing",
            $"{context.Who()} has the access level {has}; this needs {needed}.",
            "Have someone do it who has that level, or ask a steward for it."
        );
    }

    /// <summary>The name of the person who asks.</summary>
    public static string Who(this HttpContext context) => context.User.Identity?.Name ?? "unknown";

    private static IEnumerable<string> Allowed(AccessLevel least) =>
        least switch
        {
            AccessLevel.Technician => [AccessLevel.Technician.Word(), AccessLevel.Steward.Word()],
            AccessLevel.Approver => [AccessLevel.Approver.Word(), AccessLevel.Steward.Word()],
            AccessLevel.Steward => [AccessLevel.Steward.Word()],
            _ => Words.All<AccessLevel>(),
        };
}
