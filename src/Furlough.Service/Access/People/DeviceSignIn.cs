using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Protocol.Api;
using Microsoft.AspNetCore.DataProtection;

namespace Furlough.Service.Access.People;

/// <summary>
/// Sign-in for a command line: the person enters a code at the provider, in a browser on whatever device (RFC 8628). The
/// service asks the provider, so the command line needs no secret.
/// </summary>
public sealed class DeviceSignIn(ProviderCalls calls, SignIns signIns, IDataProtectionProvider protection)
{
    private const string GrantType = "urn:ietf:params:oauth:grant-type:device_code";
    private readonly IDataProtector _handles = protection.CreateProtector("device-sign-ins");

    /// <summary>Begins one.</summary>
    /// <exception cref="RefusedException"><c>no-provider</c>, <c>provider-away</c></exception>
    public async Task<DeviceCode> BeginAsync(CancellationToken stop)
    {
        try
        {
            var published = await calls.PublishedAsync(stop);
            var answer = await calls.PostAsync(
                published.DeviceAuthorizationEndpoint,
                new Dictionary<string, string> { ["scope"] = string.Join(' ', calls.Provider.AllScopes) },
                stop
            );
            return new DeviceCode(
                ProviderCalls.TextOf(answer, "verification_uri")
                    ?? throw new ProviderAwayException("it named no address"),
                ProviderCalls.TextOf(answer, "user_code") ?? throw new ProviderAwayException("it named no code"),
                Seconds(answer, "interval", 5),
                Seconds(answer, "expires_in", 600),
                _handles.Protect(ProviderCalls.TextOf(answer, "device_code") ?? "")
            );
        }
        catch (Exception away) when (away is NotGrantedException or ProviderAwayException)
        {
            throw Away(away);
        }
    }

    /// <summary>Asks whether the person has entered the code.</summary>
    /// <exception cref="RefusedException"><c>sign-in-waiting</c>, <c>sign-in-declined</c>, <c>sign-in-lapsed</c>,
    /// <c>no-level</c>, <c>provider-away</c></exception>
    public async Task<TokenMade> AnswerAsync(string handle, CancellationToken stop)
    {
        try
        {
            var grant = await calls.GrantAsync(
                new Dictionary<string, string>
                {
                    ["grant_type"] = GrantType,
                    ["device_code"] = _handles.Unprotect(handle),
                },
                stop
            );
            var (row, secret) = await signIns.TakeAsync(grant, stop);
            return new TokenMade(row.Name, row.Level, secret);
        }
        catch (NotGrantedException notYet) when (notYet.Error is "authorization_pending" or "slow_down")
        {
            throw RefusedException.Conflict("sign-in-waiting", "The code was not entered yet.", "Enter it, then wait.");
        }
        catch (NotGrantedException declined) when (declined.Error == "access_denied")
        {
            throw RefusedException.Conflict("sign-in-declined", "The sign-in was declined.", "Begin again.");
        }
        catch (Exception lapsed)
            when (lapsed is CryptographicException or NotGrantedException { Error: "expired_token" or "invalid_grant" })
        {
            throw RefusedException.Conflict("sign-in-lapsed", "The code is not valid any more.", "Begin again.");
        }
        catch (Exception away) when (away is NotGrantedException or ProviderAwayException)
        {
            throw Away(away);
        }
    }

    private RefusedException Away(Exception why) =>
        new(
            RefusalKind.NotReady,
            "provider-away",
            $"{signIns.Provider} cannot be used at the moment: {why.Message}.",
            "Try again later, or use a token."
        );

    private static int Seconds(JsonElement answer, string name, int usual) =>
        answer.TryGetProperty(name, out var value) && value.TryGetInt32(out var seconds) && seconds > 0
            ? seconds
            : usual;
}
