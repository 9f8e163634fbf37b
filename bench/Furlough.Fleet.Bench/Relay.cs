using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace Furlough.Bench;

/// <summary>
/// Passes connections on to the service; while it is poor, each breaks at a random moment, whatever is on its way.
/// </summary>
internal sealed class Relay : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly Uri _service;
    private readonly CancellationTokenSource _stop = new();
    private readonly ConcurrentDictionary<Socket, byte> _open = new();
    private readonly Task _listening,
        _breaking;
    private int _broken;

    internal Relay(Uri service)
    {
        _service = service;
        _listener.Start(4096);
        _listening = ListenAsync();
        _breaking = BreakAsync();
    }

    internal Uri Address => new($"http://{_listener.LocalEndpoint}/");

    /// <summary>Whether connections break.</summary>
    internal bool IsPoor { get; set; }

    /// <summary>How many have been broken.</summary>
    internal int Broken => _broken;

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Stop();
        await Task.WhenAll(_listening, _breaking);
        foreach (var socket in _open.Keys)
            socket.Dispose();
        _stop.Dispose();
    }

    private async Task ListenAsync()
    {
        try
        {
            for (; ; )
                _ = PassAsync(await _listener.AcceptSocketAsync(_stop.Token));
        }
        catch (Exception ended) when (ended is OperationCanceledException or SocketException or ObjectDisposedException)
        { }
    }

    private async Task PassAsync(Socket near)
    {
        using var far = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        using (near)
        {
            _open[near] = 0;
            try
            {
                near.NoDelay = true;
                await far.ConnectAsync(_service.Host, _service.Port, _stop.Token);
                await Task.WhenAny(PumpAsync(near, far), PumpAsync(far, near));
            }
            catch (Exception ended) when (ended is OperationCanceledException or SocketException) { }
            _open.TryRemove(near, out _);
        }
    }

    private static async Task PumpAsync(Socket from, Socket to)
    {
        var buffer = new byte[4096];
        try
        {
            while (await from.ReceiveAsync(buffer) is > 0 and var read)
                for (var sent = 0; sent < read; )
                    sent += await to.SendAsync(buffer.AsMemory(sent, read - sent));
        }
        catch (Exception ended) when (ended is SocketException or ObjectDisposedException) { }
    }

    /// <summary>
    /// Every fifth of a second breaks one in 25: half of all connections last longer than 3.5 seconds.
    /// </summary>
    private async Task BreakAsync()
    {
        try
        {
            for (; ; await Task.Delay(200, _stop.Token))
                foreach (var socket in _open.Keys)
                {
                    if (!IsPoor || Random.Shared.Next(25) > 0 || !_open.TryRemove(socket, out _))
                        continue;
                    socket.Close(0);
                    Interlocked.Increment(ref _broken);
                }
        }
        catch (OperationCanceledException) { }
    }
}
