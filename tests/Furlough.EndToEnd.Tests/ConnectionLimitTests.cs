using System.Diagnostics;
using System.Net.Http.Headers;
using System.Net.Sockets;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>More connections than the system lets the service have.</summary>
public sealed class ConnectionLimitTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-e2e-").FullName;
    private readonly Process _service;
    private readonly Uri _address;

    public ConnectionLimitTests()
    {
        var start = new ProcessStartInfo(
            "sh",
            [
                "-c",
                "ulimit -n 700; exec \"$0\" service start --data \"$1\" --port 0",
                Field.Program("furlough"),
                $"{_folder}/service",
            ]
        )
        {
            RedirectStandardOutput = true,
        };
        _service = Process.Start(start)!;
        _address = new Uri(_service.StandardOutput.ReadLine()!["listening on ".Length..]);
    }

    public void Dispose()
    {
        Field.Kill(_service);
        _service.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task A_service_with_more_connections_than_it_may_have_serves_those_it_has_and_others_again_when_some_have_gone()
    {
        // It keeps its connection, however long a busy machine takes for the others.
        using var early = new HttpClient(
            new SocketsHttpHandler { PooledConnectionIdleTimeout = Timeout.InfiniteTimeSpan }
        )
        {
            BaseAddress = _address,
        };
        early.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Bearer",
            (
                await File.ReadAllTextAsync($"{_folder}/service/steward-token", TestContext.Current.CancellationToken)
            ).Trim()
        );
        await InviteAsync(early);
        var many = Crowd(3_000);
        await InviteAsync(early);
        many.ForEach(m => m.Dispose());
        _service.HasExited.ShouldBeFalse();
        using var late = new HttpClient { BaseAddress = _address };
        late.DefaultRequestHeaders.Authorization = early.DefaultRequestHeaders.Authorization;
        Field.WaitFor(
            () =>
            {
                try
                {
                    return late.GetAsync("api/v1/machines").GetAwaiter().GetResult().IsSuccessStatusCode;
                }
                catch (HttpRequestException)
                {
                    return false;
                }
            },
            "another connection",
            seconds: 30
        );
    }

    /// <summary>Begins connections from all sides while the system is busy with other things.</summary>
    private List<Socket> Crowd(int connections)
    {
        var hogs = Enumerable.Range(0, 8).Select(_ => Process.Start("sh", ["-c", "while :; do :; done"])).ToList();
        var begun = Enumerable
            .Range(0, connections)
            .AsParallel()
            .WithDegreeOfParallelism(8)
            .Select(_ =>
            {
                var one = new Socket(SocketType.Stream, ProtocolType.Tcp) { Blocking = false };
                try
                {
                    one.Connect(_address.Host, _address.Port);
                }
                catch (SocketException begins)
                    when (begins.SocketErrorCode is SocketError.WouldBlock or SocketError.InProgress) { }
                return one;
            })
            .ToList();
        try
        {
            Field.WaitFor(
                () => begun.Count(one => one.Poll(0, SelectMode.SelectRead)) > connections / 2,
                "turning most of them away"
            );
        }
        finally
        {
            hogs.ForEach(Field.Kill);
        }
        return begun;
    }

    /// <summary>Writes to the storage.</summary>
    private static async Task InviteAsync(HttpClient client) =>
        (
            await client.PostAsync(
                "api/v1/invites",
                new StringContent(
                    "{\"room\":null,\"machines\":1,\"hours\":24,\"again\":null}",
                    new MediaTypeHeaderValue("application/json")
                )
            )
        ).EnsureSuccessStatusCode();
}
