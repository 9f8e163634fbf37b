using System.Net;
using System.Net.Sockets;

namespace Furlough.Service.Notifications;

/// <summary>
/// Where web calls may go. Anyone who may add a receiver could otherwise have the service knock at doors inside the
/// building, and at its own. Looked at when the connection is made, with the address that is really used: a name may
/// lead elsewhere by then.
/// </summary>
public static class CallTargets
{
    /// <summary>Connects to the first address of a name that may be called.</summary>
    /// <exception cref="IOException">None may.</exception>
    public static async ValueTask<Stream> ConnectAsync(
        ServiceOptions options,
        SocketsHttpConnectionContext call,
        CancellationToken stop
    )
    {
        var addresses = await Dns.GetHostAddressesAsync(call.DnsEndPoint.Host, stop);
        var allowed = addresses.Where(a => MayCall(a, options.MayCallPrivate)).ToArray();
        if (allowed.Length == 0)
            throw new IOException(
                "the address leads into a private network, which this service may not call (start it with --call-private-networks)"
            );
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(allowed, call.DnsEndPoint.Port, stop);
            return new NetworkStream(socket, ownsSocket: true);
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }

    /// <summary>
    /// Whether an address may be called: never one of link-local scope, others of private networks only where that is
    /// allowed.
    /// </summary>
    public static bool MayCall(IPAddress address, bool privateToo)
    {
        var a = address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address;
        if (a.Equals(IPAddress.Any) || a.Equals(IPAddress.IPv6Any) || a.IsIPv6LinkLocal || a.IsIPv6Multicast)
            return false;
        var b = a.GetAddressBytes();
        if (b.Length == 4 && (b is [169, 254, ..] or [0, ..] || b[0] >= 224))
            return false;
        var isPrivate =
            IPAddress.IsLoopback(a)
            || a.IsIPv6UniqueLocal
            || a.IsIPv6SiteLocal
            || (
                b.Length == 4
                && (
                    b[0] == 10
                    || b is [192, 168, ..]
                    || (b[0] == 172 && b[1] is >= 16 and <= 31)
                    || (b[0] == 100 && b[1] is >= 64 and <= 127)
                )
            );
        return privateToo || !isPrivate;
    }
}
