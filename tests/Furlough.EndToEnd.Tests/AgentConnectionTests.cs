using System.Net.Sockets;
using Furlough.Agent;
using Furlough.Agent.Journal;
using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Protocol;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>An agent whose calls end in ways that nobody planned.</summary>
public sealed class AgentConnectionTests
{
    [Fact]
    public async Task Whatever_a_call_ends_with_the_agent_tries_again()
    {
        var folder = Directory.CreateTempSubdirectory("furlough-agent-").FullName;
        try
        {
            using var store = new AgentStore($"{folder}/agent.db");
            store.SetSetting("machine", $"{Dockets.Machine}");
            var odd = new OddConnection();
            using var http = new HttpClient(odd) { BaseAddress = new Uri("http://127.0.0.1:1/") };
            List<string> log = [];
            using var runtime = new AgentRuntime(
                new AgentOptions("map-01", "Map Room", null, "m"),
                store,
                SigningKey.LoadOrMake($"{folder}/key"),
                new SimulatedMachine(new SimulatedDisk()),
                new NoSurvey(),
                http,
                TimeProvider.System,
                log.Add
            );
            using var stop = new CancellationTokenSource();
            var running = runtime.RunAsync(stop.Token);
            for (var i = 0; i < 200 && odd.Calls < 5 && !running.IsCompleted; i++)
                await Task.Delay(100);
            running.IsCompleted.ShouldBeFalse($"{running.Exception}");
            odd.Calls.ShouldBeGreaterThanOrEqualTo(5);
            log.ShouldContain(l => l.StartsWith("service-unreachable:", StringComparison.Ordinal));
            log.ShouldContain(l => l.StartsWith("unforeseen:", StringComparison.Ordinal));
            await stop.CancelAsync();
            await Should.ThrowAsync<OperationCanceledException>(running);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>
    /// A connection that breaks while it is made is reported by the socket itself; others end otherwise.
    /// </summary>
    private sealed class OddConnection : HttpMessageHandler
    {
        private int _calls;

        internal int Calls => _calls;

        protected override Task<HttpResponseMessage> SendAsync(
            HttpRequestMessage request,
            CancellationToken cancellationToken
        ) =>
            (Interlocked.Increment(ref _calls) % 4) switch
            {
                0 => throw new SocketException((int)SocketError.NotConnected),
                1 => throw new InvalidOperationException("nobody foresaw this"),
                2 => throw new ObjectDisposedException("connection"),
                _ => Task.FromResult(
                    new HttpResponseMessage(System.Net.HttpStatusCode.OK) { Content = new StringContent("{\"half") }
                ),
            };
    }

    private sealed class NoSurvey : ISurveyor
    {
        public Survey Take(
            IReadOnlyList<KindCard> kinds,
            IReadOnlyList<OriginalFacts> originals,
            Func<Guid, bool> knows,
            CancellationToken stop
        ) => new(DateTimeOffset.UnixEpoch, "", "", [], [], [], [], [], []);
    }
}
