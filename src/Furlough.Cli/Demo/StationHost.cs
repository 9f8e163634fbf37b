using Furlough.Agent;
using Furlough.Agent.Journal;
using Furlough.Platform.Mac;
using Furlough.Protocol;
using Furlough.Station;
using Furlough.Station.World;

namespace Furlough.Cli.Demo;

/// <summary>
/// Runs stand-in workstations, each with its own agent, key, connection and outbox, as if each were a machine of its
/// own.
/// </summary>
internal sealed class StationHost(Uri service, string folder, double speed, Action<string> log)
{
    private static readonly TimeSpan PowerBackAfter = TimeSpan.FromSeconds(3);

    /// <summary>
    /// Runs all machines until stopped. <paramref name="enrolled"/> is called once, when every one of them has
    /// introduced itself.
    /// </summary>
    internal async Task RunAsync(
        IReadOnlyList<MachineSpec> machines,
        string code,
        Action enrolled,
        CancellationToken stop
    )
    {
        var missing = machines.Count;
        var all = machines
            .Select(m =>
                Task.Run(
                    () =>
                        RunOneAsync(
                            m,
                            code,
                            () =>
                            {
                                if (Interlocked.Decrement(ref missing) == 0)
                                    enrolled();
                            },
                            stop
                        ),
                    stop
                )
            )
            .ToList();
        try
        {
            await await Task.WhenAny(all);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested) { }
    }

    /// <summary>One machine, switched on again after every loss of power.</summary>
    private async Task RunOneAsync(MachineSpec spec, string code, Action enrolled, CancellationToken stop)
    {
        var told = false;
        while (!stop.IsCancellationRequested)
        {
            try
            {
                await LiveAsync(
                    spec,
                    code,
                    () =>
                    {
                        if (!told)
                            enrolled();
                        told = true;
                    },
                    stop
                );
            }
            catch (PowerLossException)
            {
                log($"{spec.Name} lost its power and comes back");
                await Task.Delay(PowerBackAfter, stop);
            }
            catch (OperationCanceledException) when (stop.IsCancellationRequested)
            {
                return;
            }
            catch (Exception ended)
            {
                log($"{spec.Name} has ended: {ended.Message}");
                throw;
            }
        }
    }

    private async Task LiveAsync(MachineSpec spec, string code, Action enrolled, CancellationToken stop)
    {
        var own = Directory.CreateDirectory(Path.Combine(folder, spec.Name)).FullName;
        var clock = new StationClock(speed);
        using var machine = new StationMachine(spec, own, clock, (commands, volumes) =>
            new MacPointers(commands, volumes)
        );
        using var store = new AgentStore(Path.Combine(own, "agent.db"), durable: false, takesOver: true);
        var key = SigningKey.LoadOrMake(Path.Combine(own, "agent-key"));
        using var http = new HttpClient(new StationConnection(AgentClient.Connections(), clock, spec.LeavesAfter))
        {
            BaseAddress = service,
            Timeout = TimeSpan.FromSeconds(60),
        };
        using var runtime = new AgentRuntime(
            new AgentOptions(spec.Name, spec.Room, code, $"station-{spec.Seed:x}"),
            store,
            key,
            machine,
            machine.Surveyor,
            http,
            clock,
            _ => { }
        );
        await EnrolAsync(runtime, stop);
        enrolled();
        await runtime.RunAsync(stop);
    }

    private static async Task EnrolAsync(AgentRuntime runtime, CancellationToken stop)
    {
        for (; ; )
        {
            try
            {
                await runtime.EnrolAsync(stop);
                return;
            }
            catch (ServiceException away) when (away.Status == 0)
            {
                await Task.Delay(TimeSpan.FromSeconds(1), stop);
            }
        }
    }
}
