using System.Collections.Concurrent;
using System.Globalization;
using System.Net.Http.Headers;
using System.Net.ServerSentEvents;
using System.Text.Json;

namespace Furlough.Bench;

/// <summary>Listens to what the service tells consoles, and notes when each relocation was last spoken of.</summary>
internal sealed class Listener : IAsyncDisposable
{
    private readonly CancellationTokenSource _stop = new();
    private readonly Task _listening;

    internal Listener(Uri service, string token) => _listening = ListenAsync(service, token);

    /// <summary>By relocation.</summary>
    internal ConcurrentDictionary<long, DateTimeOffset> LastHeard { get; } = new();

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        await _listening;
        _stop.Dispose();
    }

    private async Task ListenAsync(Uri service, string token)
    {
        using var http = new HttpClient { BaseAddress = service };
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        try
        {
            await using var stream = await http.GetStreamAsync("api/v1/events", _stop.Token);
            await foreach (var said in SseParser.Create(stream).EnumerateAsync(_stop.Token))
            {
                using var hint = JsonDocument.Parse(said.Data);
                if (hint.RootElement.GetProperty("kind").GetString() == "relocation")
                    LastHeard[
                        long.Parse(hint.RootElement.GetProperty("subject").GetString()!, CultureInfo.InvariantCulture)
                    ] = TimeProvider.System.GetUtcNow();
            }
        }
        catch (Exception ended) when (ended is OperationCanceledException or IOException or HttpRequestException) { }
    }
}
