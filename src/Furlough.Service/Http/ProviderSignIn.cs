using System.Security.Claims;
using Furlough.Protocol.Api;
using Furlough.Service.Access.People;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.OpenIdConnect;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Routing;
using Microsoft.IdentityModel.Protocols.OpenIdConnect;

namespace Furlough.Service.Http;

/// <summary>Signing in with the office's provider: in the browser (code flow with PKCE), and on the command line.</summary>
internal static class ProviderSignIn
{
    private const string Scheme = "provider";

    /// <summary>Where a browser begins, and where the provider sends it back to.</summary>
    private const string Begin = "/sign-in/begin",
        Callback = "/sign-in/callback";

    /// <summary>Adds the scheme, where there is a provider.</summary>
    internal static void Add(AuthenticationBuilder authentication, SignInProvider? provider)
    {
        if (provider is not null)
            authentication.AddOpenIdConnect(Scheme, o => SetUp(o, provider));
    }

    private static void SetUp(OpenIdConnectOptions o, SignInProvider provider)
    {
        (o.Authority, o.ClientId, o.ClientSecret) = (provider.Issuer.ToString(), provider.Client, provider.Secret);
        (o.ResponseType, o.ResponseMode) = (OpenIdConnectResponseType.Code, OpenIdConnectResponseMode.Query);
        (o.UsePkce, o.MapInboundClaims, o.SaveTokens, o.DisableTelemetry) = (true, false, true, true);
        o.BackchannelTimeout = ProviderCalls.LongestWait;
        o.RequireHttpsMetadata = !provider.Issuer.IsLoopback;
        o.Scope.Clear();
        foreach (var scope in provider.AllScopes)
            o.Scope.Add(scope);
        o.CallbackPath = Callback;
        o.SignInScheme = TokenAuthentication.Session;
        foreach (var cookie in (CookieBuilder[])[o.CorrelationCookie, o.NonceCookie])
            (cookie.SameSite, cookie.SecurePolicy) = (SameSiteMode.Lax, CookieSecurePolicy.SameAsRequest);
        o.Events.OnTicketReceived = TakeAsync;
        o.Events.OnRemoteFailure = failed =>
        {
            Log(failed.HttpContext).LogWarning(failed.Failure, "A sign-in with the provider failed");
            failed.Response.Redirect("/?sign-in=failed");
            failed.HandleResponse();
            return Task.CompletedTask;
        };
    }

    /// <summary>The browser came back with what the provider says of its person.</summary>
    private static async Task TakeAsync(TicketReceivedContext ticket)
    {
        var (parts, stop) = (ticket.HttpContext.RequestServices, ticket.HttpContext.RequestAborted);
        try
        {
            var given = ticket.Properties!;
            var person = await parts
                .GetRequiredService<ProviderCalls>()
                .PersonAsync(given.GetTokenValue("id_token"), given.GetTokenValue("access_token"), stop);
            var (row, _) = await parts
                .GetRequiredService<SignIns>()
                .TakeAsync(new Grant(person, given.GetTokenValue("refresh_token")), stop);
            ticket.Principal = TokenAuthentication.Principal(row, TokenAuthentication.Session, Guid.NewGuid());
            ticket.Properties = new AuthenticationProperties { ExpiresUtc = row.Expires };
            ticket.ReturnUri = "/";
        }
        catch (Exception refused) when (refused is RefusedException or NotGrantedException or ProviderAwayException)
        {
            Log(ticket.HttpContext).LogWarning("A sign-in with the provider was refused: {Why}", refused.Message);
            ticket.Response.Redirect($"/?sign-in={(refused as RefusedException)?.Code ?? "failed"}");
            ticket.HandleResponse();
        }
    }

    private static ILogger Log(HttpContext context) =>
        context.RequestServices.GetRequiredService<ILoggerFactory>().CreateLogger(typeof(ProviderSignIn));

    /// <summary>Maps the calls.</summary>
    internal static void Map(WebApplication app, RouteGroupBuilder api)
    {
        api.MapGet("/sign-in", (SignIns signIns) => new SignInWays(signIns.Provider)).AllowAnonymous();
        api.MapPost("/sign-in/codes", (DeviceSignIn device, CancellationToken stop) => device.BeginAsync(stop))
            .RequireRateLimiting(AccessEndpoints.SignInLimit)
            .AllowAnonymous();
        api.MapPost("/sign-in/answers", (DeviceAnswer answer, DeviceSignIn device, CancellationToken stop) =>
                device.AnswerAsync(answer.Handle, stop)
            )
            .RequireRateLimiting(AccessEndpoints.SignInLimit)
            .AllowAnonymous();
        app.MapGet(Begin, BeginAsync)
            .RequireRateLimiting(AccessEndpoints.SignInLimit)
            .AllowAnonymous()
            .ExcludeFromDescription();
    }

    private static async Task<Results<ChallengeHttpResult, RedirectHttpResult>> BeginAsync(
        ProviderCalls calls,
        SignIns signIns,
        HttpContext context
    )
    {
        if (signIns.Provider is null)
            throw ProviderCalls.Missing();
        try
        {
            await calls.ReadAsync(context.RequestAborted);
        }
        catch (ProviderAwayException away)
        {
            Log(context).LogWarning("{Why}", away.Message);
            return TypedResults.Redirect("/?sign-in=provider-away");
        }
        return TypedResults.Challenge(new AuthenticationProperties { RedirectUri = "/" }, [Scheme]);
    }
}
