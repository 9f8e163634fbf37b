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
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(10);
    private const int LongestAnswer = 1 << 20;
    private readonly SignInProvider? _provider;
    private readonly string _about;

    /// <param name="options">Name the provider; without one nothing is asked.</param>
    public ProviderCalls(ServiceOptions options)
    {
        _provider = options.Provider;
        Http = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, ConnectTimeout = LongestWait })
        {
            Timeout = LongestWait,
            MaxResponseContentBufferSize = LongestAnswer,
        };
        _about =
            (_provider?.Issuer.ToString().TrimEnd('/') ?? "https://none.invalid") + "/.well-known/openid-configuration";
        Configuration = new ConfigurationManager<OpenIdConnectConfiguration>(
            _about,
            new OpenIdConnectConfigurationRetriever(),
            new HttpDocumentRetriever(Http) { RequireHttps = _provider?.Issuer.IsLoopback != true }
        );
    }

    internal HttpClient Http { get; }

    /// <summary>What the provider publishes of itself.</summary>
    internal ConfigurationManager<OpenIdConnectConfiguration> Configuration { get; }

    internal SignInProvider Provider => _provider ?? throw Missing();

    internal static RefusedException Missing() =>
        RefusedException.Conflict(
            "no-provider",
            "People sign in to this service with tokens only.",
            "Ask a steward for a token; `furlough service settings` shows how a provider is set."
        );

    /// <inheritdoc/>
    public void Dispose() => Http.Dispose();

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

    internal async Task<OpenIdConnectConfiguration> PublishedAsync(CancellationToken stop)
    {
        try
        {
            return await Configuration.GetConfigurationAsync(stop);
        }
        catch (Exception away) when (away is InvalidOperationException or IOException or HttpRequestException)
        {
            throw new ProviderAwayException($"{Provider.Name} does not answer: {away.Message}", away);
        }
    }

    /// <summary>Asks for no more than whether it answers at this moment.</summary>
    /// <exception cref="ProviderAwayException"/>
    internal async Task RequireThereAsync(CancellationToken stop)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, _about);
        if ((await SendAsync(request, stop)).Status is not 200 and var status)
            throw new ProviderAwayException($"{Provider.Name} answered {status}");
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
        Configuration.RequestRefresh();
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
            using var answer = await Http.SendAsync(request, stop);
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
