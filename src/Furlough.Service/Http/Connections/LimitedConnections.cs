using System.Net;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http.Connections;

/// <summary>
/// Accepts no more connections than the process has files to open. Any connection over the limit is closed before the
/// next one is accepted, so that a flood of them never uses up the last open file, however busy the system is: a
/// process without one ends.
/// </summary>
/// <param name="sockets">Listens on real sockets.</param>
/// <param name="most">So many connections at once.</param>
internal sealed class LimitedConnections(IConnectionListenerFactory sockets, long most) : IConnectionListenerFactory
{
    private readonly long _most = most;
    private long _open;

    /// <inheritdoc/>
    public async ValueTask<IConnectionListener> BindAsync(
        EndPoint endpoint,
        CancellationToken cancellationToken = default
    ) => new Listener(this, await sockets.BindAsync(endpoint, cancellationToken));

    private sealed class Listener(LimitedConnections all, IConnectionListener inner) : IConnectionListener
    {
        public EndPoint EndPoint => inner.EndPoint;

        public async ValueTask<ConnectionContext?> AcceptAsync(CancellationToken cancellationToken = default)
        {
            while (await inner.AcceptAsync(cancellationToken) is { } accepted)
            {
                if (Interlocked.Increment(ref all._open) <= all._most)
                    return new Connection(all, accepted);
                accepted.Abort(new ConnectionAbortedException("The service has as many connections as it may have."));
                await accepted.DisposeAsync();
                Interlocked.Decrement(ref all._open);
            }
            return null;
        }

        public ValueTask UnbindAsync(CancellationToken cancellationToken = default) =>
            inner.UnbindAsync(cancellationToken);

        public ValueTask DisposeAsync() => inner.DisposeAsync();
    }

    /// <summary>A connection that counts until its socket is closed.</summary>
    private sealed class Connection(LimitedConnections all, ConnectionContext inner) : ConnectionContext
    {
        private int _closed;

        public override string ConnectionId
        {
            get => inner.ConnectionId;
            set => inner.ConnectionId = value;
        }

        public override IFeatureCollection Features => inner.Features;

        public override IDictionary<object, object?> Items
        {
            get => inner.Items;
            set => inner.Items = value;
        }

        public override System.IO.Pipelines.IDuplexPipe Transport
        {
            get => inner.Transport;
            set => inner.Transport = value;
        }

        public override CancellationToken ConnectionClosed
        {
            get => inner.ConnectionClosed;
            set => inner.ConnectionClosed = value;
        }

        public override EndPoint? LocalEndPoint
        {
            get => inner.LocalEndPoint;
            set => inner.LocalEndPoint = value;
        }

        public override EndPoint? RemoteEndPoint
        {
            get => inner.RemoteEndPoint;
            set => inner.RemoteEndPoint = value;
        }

        public override void Abort(ConnectionAbortedException abortReason) => inner.Abort(abortReason);

        public override async ValueTask DisposeAsync()
        {
            await inner.DisposeAsync();
            await base.DisposeAsync();
            if (Interlocked.Exchange(ref _closed, 1) == 0)
                Interlocked.Decrement(ref all._open);
        }
    }
}
