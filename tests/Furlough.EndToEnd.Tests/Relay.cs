using System.Net;
using System.Net.Sockets;

namespace Furlough.EndToEnd.Tests;

/// <summary>An address on loopback that leads to one service now and to another later, as a name in DNS does.</summary>
internal sealed class Relay : IDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly List<TcpClient> _open = [];
    private readonly Lock _lock = new();
    private Uri _target;

    internal Relay(string target)
    {
        _target = new Uri(target);
        _listener.Start();
        _ = TakeAsync();
    }

    internal string Address => $"http://127.0.0.1:{((IPEndPoint)_listener.LocalEndpoint).Port}";

    /// <summary>Leads there from now on; connections that are open end.</summary>
    internal void LeadTo(string target)
    {
        lock (_lock)
        {
            _target = new Uri(target);
            foreach (var client in _open)
                client.Close();
            _open.Clear();
        }
    }

    public void Dispose()
    {
        _listener.Dispose();
        LeadTo("http://127.0.0.1:1");
    }

    private async Task TakeAsync()
    {
        try
        {
            while (true)
                _ = PassAsync(await _listener.AcceptTcpClientAsync());
        }
        catch (Exception over) when (over is SocketException or ObjectDisposedException) { }
    }

    private async Task PassAsync(TcpClient from)
    {
        var to = new TcpClient();
        Uri target;
        lock (_lock)
        {
            _open.AddRange([from, to]);
            target = _target;
        }
        try
        {
            await to.ConnectAsync(target.Host, target.Port);
            var (one, other) = (from.GetStream(), to.GetStream());
            await Task.WhenAny(one.CopyToAsync(other), other.CopyToAsync(one));
        }
        catch (Exception over) when (over is IOException or SocketException or ObjectDisposedException) { }
        finally
        {
            from.Close();
            to.Close();
        }
    }
}
