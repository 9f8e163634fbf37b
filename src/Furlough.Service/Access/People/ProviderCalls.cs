using System.Net.Http.Headers;
using System.Text.Json;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Protocols;
using Microsoft.IdentityModel.Protocols.OpenIdConnect;
using Microsoft.IdentityModel.Tokens;

namespace Furlough.Service.Access.People;

/// <summary>What the service asks the office's provider directly.</summary>
public sealed class ProviderCalls : IDisposable
{
    internal static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(10);
    private const int LongestAnswer = 1 << 20;
    private static readonly TimeSpan PublishedFor = TimeSpan.FromHours(1);
    private readonly SignInProvider? _provider;
    private readonly HttpClient _http;
    private readonly TimeProvider _time;
    private volatile Published? _published;

    /// <param name="options">Name the provider; without one nothing is asked.</param>
    public ProviderCalls(ServiceOptions options)
    {
        (_provider, _time) = (options.Provider, options.Time);
        _http = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, ConnectTimeout = LongestWait })
        {
            Timeout = LongestWait,
            MaxResponseContentBufferSize = LongestAnswer,
        };
    }

    /// <summary>What the provider publishes of itself, and when that was read.</summary>
    private sealed record Published(OpenIdConnectConfiguration What, DateTimeOffset At);

    internal SignInProvider Provider => _provider ?? throw Missing();

    internal static RefusedException Missing() =>
        RefusedException.Conflict(
            "no-provider",
            "People sign in to this service with tokens only.",
            "Ask a steward for a token; `furlough service settings` shows how a provider is set."
        );

    /// <inheritdoc/>
    public void Dispose() => _http.Dispose();

    /// <summary>Asks for tokens, and who they are of.</summary>
    /// <exception cref="NotGrantedException"/>
    /// <exception cref="ProviderAwayException"/>
    internal async Task<Grant> GrantAsync(IReadOnlyDictionary<string, string> what, CancellationToken stop)
    {
        var published = await PublishedAsync(stop);
        var answer = await PostAsync(published.TokenEndpoint, what, stop);
        return new Grant(
            await PersonAsync(TextOf(answer, "id_token"), TextOf(answer, "access_token"), stop),
            TextOf(answer, "refresh_token")
        );
    }

    /// <summary>Whom tokens are of: the identity token is checked, the rest is asked of the provider.</summary>
    /// <exception cref="ProviderAwayException">It cannot be asked, or its tokens contradict each other.</exception>
    internal async Task<Person> PersonAsync(string? identity, string? access, CancellationToken stop)
    {
        var published = await PublishedAsync(stop);
        var checkedOne = identity is null ? null : await CheckedAsync(identity, published);
        var told =
            published.UserInfoEndpoint is { Length: > 0 } endpoint && access is not null
                ? await UserAsync(endpoint, access, stop)
                : default(JsonElement?);
        var subject = checkedOne?.Subject ?? (told is { } t ? TextOf(t, "sub") : null);
        if (subject is null or "" || (told is { } other && TextOf(other, "sub") != subject))
            throw new ProviderAwayException("its answers are about different people, or about nobody");
        string? Claim(string name) =>
            (told is { } user ? TextOf(user, name) : null)
            ?? (checkedOne?.TryGetPayloadValue(name, out string? value) == true ? value : null);
        return new Person(
            subject,
            Claim("preferred_username") ?? Claim("email") ?? subject,
            told is { } all && all.TryGetProperty(Provider.Groups, out var groups)
                ? Texts(groups)
                : [.. checkedOne?.Claims.Where(c => c.Type == Provider.Groups).Select(c => c.Value) ?? []]
        );
    }

    /// <summary>Calls an endpoint as this service.</summary>
    /// <exception cref="NotGrantedException"/>
    /// <exception cref="ProviderAwayException"/>
    internal async Task<JsonElement> PostAsync(
        string? endpoint,
        IReadOnlyDictionary<string, string> what,
        CancellationToken stop
    )
    {
        if (endpoint is null or "")
            throw new ProviderAwayException("it does not offer this");
        using var request = new HttpRequestMessage(HttpMethod.Post, endpoint);
        request.Content = new FormUrlEncodedContent([
            new("client_id", Provider.Client),
            new("client_secret", Provider.Secret),
            .. what,
        ]);
        var (status, answer) = await SendAsync(request, stop);
        if (status == 200)
            return answer;
        throw status is 400 or 401 && TextOf(answer, "error") is { } error
            ? new NotGrantedException(error)
            : new ProviderAwayException($"it answered {status}");
    }

    /// <summary>What the provider publishes of itself, read at most an hour ago.</summary>
    /// <exception cref="ProviderAwayException"/>
    internal async Task<OpenIdConnectConfiguration> PublishedAsync(CancellationToken stop) =>
        _published is { } known && _time.GetUtcNow() - known.At < PublishedFor ? known.What : await ReadAsync(stop);

    /// <summary>Reads it now: so it is known too that the provider answers.</summary>
    /// <exception cref="ProviderAwayException"/>
    internal async Task<OpenIdConnectConfiguration> ReadAsync(CancellationToken stop)
    {
        try
        {
            var read = await OpenIdConnectConfigurationRetriever.GetAsync(
                Provider.Issuer.ToString().TrimEnd('/') + "/.well-known/openid-configuration",
                new HttpDocumentRetriever(_http) { RequireHttps = !Provider.Issuer.IsLoopback },
                stop
            );
            _published = new Published(read, _time.GetUtcNow());
            return read;
        }
        catch (Exception away) when (away is not OperationCanceledException || !stop.IsCancellationRequested)
        {
            // The library throws whatever the document made it stumble over.
            throw new ProviderAwayException($"{Provider.Name} does not answer: {away.Message}", away);
        }
    }

    private async Task<JsonWebToken> CheckedAsync(string identity, OpenIdConnectConfiguration published)
    {
        var result = await new JsonWebTokenHandler().ValidateTokenAsync(
            identity,
            new TokenValidationParameters
            {
                ValidIssuer = published.Issuer,
                ValidAudience = Provider.Client,
                IssuerSigningKeys = published.SigningKeys,
            }
        );
        if (result.IsValid)
            return (JsonWebToken)result.SecurityToken;
        // Its keys may have changed since they were read.
        _published = null;
        throw new ProviderAwayException("its identity token is not valid", result.Exception);
    }

    private async Task<JsonElement> UserAsync(string endpoint, string access, CancellationToken stop)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, endpoint);
        request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", access);
        var (status, answer) = await SendAsync(request, stop);
        return status switch
        {
            200 => answer,
            401 or 403 => throw new NotGrantedException("invalid_token"),
            _ => throw new ProviderAwayException($"it answered {status}"),
        };
    }

    private async Task<(int Status, JsonElement Answer)> SendAsync(HttpRequestMessage request, CancellationToken stop)
    {
        try
        {
            using var answer = await _http.SendAsync(request, stop);
            var text = await answer.Content.ReadAsStringAsync(stop);
            var read = text.StartsWith('{') ? JsonDocument.Parse(text).RootElement : default;
            return ((int)answer.StatusCode, read);
        }
        catch (Exception away)
            when (away is HttpRequestException or JsonException
                || (away is OperationCanceledException && !stop.IsCancellationRequested)
            )
        {
            throw new ProviderAwayException($"{Provider.Name} does not answer: {away.Message}", away);
        }
    }

    internal static string? TextOf(JsonElement answer, string name) =>
        answer.ValueKind == JsonValueKind.Object
        && answer.TryGetProperty(name, out var value)
        && value.ValueKind == JsonValueKind.String
            ? value.GetString()
            : null;

    private static List<string> Texts(JsonElement value) =>
        value.ValueKind switch
        {
            JsonValueKind.String => [value.GetString()!],
            JsonValueKind.Array =>
            [
                .. value.EnumerateArray().Where(v => v.ValueKind == JsonValueKind.String).Select(v => v.GetString()!),
            ],
            _ => [],
        };
}
