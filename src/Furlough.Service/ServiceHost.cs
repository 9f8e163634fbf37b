using System.Net;
using Furlough.Service.Access;
using Furlough.Service.Http;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Hosting.Server;
using Microsoft.AspNetCore.Hosting.Server.Features;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;
using Microsoft.Data.Sqlite;

namespace Furlough.Service;

/// <summary>The service, put together.</summary>
public sealed class ServiceHost : IAsyncDisposable
{
    private readonly WebApplication _app;
    private readonly DataFolder _folder;

    private ServiceHost(WebApplication app, DataFolder folder) => (_app, _folder) = (app, folder);

    /// <summary>Where it listens, once started.</summary>
    public Uri Address =>
        new(_app.Services.GetRequiredService<IServer>().Features.Get<IServerAddressesFeature>()!.Addresses.First());

    /// <summary>Builds and starts the service; makes storage and the first token when they are missing.</summary>
    public static async Task<ServiceHost> StartAsync(ServiceOptions options, CancellationToken stop)
    {
        var folder = DataFolder.Take(options.Data);
        try
        {
            var app = HttpHost.Build(options);
            await app.Services.PrepareStorageAsync(stop);
            await app.Services.BeginAloneAsync(stop);
            folder.IsWhole();
            // Keys that cannot be read end the start, not the first connection.
            if (options.HasTls)
                app.Services.GetRequiredService<TlsKeys>();
            await app.StartAsync(stop);
            var host = new ServiceHost(app, folder);
            app.Services.GetRequiredService<ServiceAddress>().Is(options.PublicAddress ?? Named(host.Address));
            // A large fleet takes seconds: begun before the first person looks at it.
            _ = app.Services.GetRequiredService<MachineBoard>().MachinesAsync(CancellationToken.None);
            return host;
        }
        catch
        {
            folder.Dispose();
            throw;
        }
    }

    /// <summary>An address that others can use, where it listens on all that this machine has.</summary>
    private static Uri Named(Uri address) =>
        address.DnsSafeHost is "0.0.0.0" or "::" ? new UriBuilder(address) { Host = Dns.GetHostName() }.Uri : address;

    /// <summary>
    /// Makes the steward's token again while no service works with the data folder, for the day on which nobody has one
    /// any more; returns the file that holds it.
    /// </summary>
    /// <exception cref="IOException">A service works with the folder, or there is none in it.</exception>
    public static async Task<string> ReplaceStewardTokenAsync(string data, CancellationToken stop)
    {
        if (!File.Exists(Path.Combine(data, DataFolder.Database)))
            throw new IOException($"there is no service's data in {data}.");
        using var folder = DataFolder.Take(data);
        await using var app = HttpHost.Build(new ServiceOptions(data, 0));
        await app.Services.MigrateAsync(stop);
        return await app.Services.GetRequiredService<StewardToken>().ReplaceAsync(stop);
    }

    /// <summary>Waits until the service is asked to stop.</summary>
    public Task WaitAsync(CancellationToken stop) => _app.WaitForShutdownAsync(stop);

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        await _app.StopAsync();
        await _app.DisposeAsync();
        // Nothing keeps the database open: it may be put back from a backup now.
        SqliteConnection.ClearAllPools();
        _folder.Dispose();
    }
}
