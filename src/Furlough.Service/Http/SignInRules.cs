using System.Threading.RateLimiting;
using Furlough.Protocol;
using Furlough.Service.Access.People;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.RateLimiting;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>How callers are recognised: by a token, or by the cookie of a console session.</summary>
internal static class SignInRules
{
    private const string Cookie = "furlough-session";
    private const int SignInsPerMinute = 30;

    /// <summary>Adds them.</summary>
    internal static void Add(IServiceCollection services, SignInProvider? provider)
    {
        var authentication = services
            .AddAuthentication(o => o.DefaultScheme = "either")
            .AddPolicyScheme("either", null, o =>
                o.ForwardDefaultSelector = c =>
                    c.Request.Headers.Authorization.Count > 0 || !c.Request.Cookies.ContainsKey(Cookie)
                        ? TokenAuthentication.Token
                        : TokenAuthentication.Session
            )
            .AddScheme<AuthenticationSchemeOptions, TokenAuthentication>(TokenAuthentication.Token, null)
            .AddCookie(TokenAuthentication.Session, SetUpCookie);
        ProviderSignIn.Add(authentication, provider);
        services.AddAuthorization();
        services.AddRateLimiter(LimitSignIns);
    }

    private static void SetUpCookie(CookieAuthenticationOptions o)
    {
        o.Cookie.Name = Cookie;
        o.Cookie.HttpOnly = true;
        o.Cookie.SameSite = SameSiteMode.Strict;
        o.ExpireTimeSpan = TimeSpan.FromHours(12);
        o.Events.OnValidatePrincipal = TokenAuthentication.ValidateSessionAsync;
        o.Events.OnRedirectToLogin = c =>
            ProblemWriter.WriteAsync(
                c.HttpContext,
                new RefusedException(
                    RefusalKind.NotSignedIn,
                    "not-signed-in",
                    "The session has ended.",
                    "Sign in again."
                ),
                c.HttpContext.RequestAborted
            );
        o.Events.OnRedirectToAccessDenied = c =>
            ProblemWriter.WriteAsync(
                c.HttpContext,
                AccessRules.LevelMissing(c.HttpContext),
                c.HttpContext.RequestAborted
            );
    }

    private static void LimitSignIns(RateLimiterOptions limits)
    {
        limits.AddPolicy(AccessEndpoints.SignInLimit, context =>
            RateLimitPartition.GetFixedWindowLimiter(
                context.Connection.RemoteIpAddress,
                _ => new FixedWindowRateLimiterOptions
                {
                    PermitLimit = SignInsPerMinute,
                    Window = TimeSpan.FromMinutes(1),
                }
            )
        );
        limits.OnRejected = async (rejected, stop) =>
        {
            rejected.HttpContext.Response.Headers.RetryAfter = "60";
            await ProblemWriter.WriteAsync(
                rejected.HttpContext,
                new RefusedException(
                    RefusalKind.TooMany,
                    "too-many-attempts",
                    $"There were more than {SignInsPerMinute} attempts to sign in within a minute.",
                    "Wait a minute, then try again."
                ),
                stop
            );
        };
    }
}
