using System.Diagnostics;
using System.Globalization;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Bench;

/// <summary>The two runs of a fleet of one size, and what they showed.</summary>
internal sealed class FleetRun(string program, string data, int agents)
{
    private static readonly TimeSpan LookEvery = TimeSpan.FromSeconds(1),
        LongestEnrolling = TimeSpan.FromMinutes(8),
        LongestRun = TimeSpan.FromMinutes(30);

    internal async Task MeasureAsync()
    {
        using var service = new ServiceProcess(program, Path.Combine(data, "service"));
        service.Start();
        var token = (await File.ReadAllTextAsync(Path.Combine(service.Folder, "steward-token"))).Trim();
        using var client = new FurloughClient(service.Address, token);
        var invite = await client.InviteAsync(new InviteRequest(null, agents), default);
        List<Bays> bays =
        [
            .. Enumerable
                .Range(0, (agents + Bays.Most - 1) / Bays.Most)
                .Select(i =>
                    Bays.Start(
                        service.Address,
                        invite.Code,
                        i * Bays.Most,
                        Math.Min(Bays.Most, agents - i * Bays.Most),
                        Path.Combine(data, "bays")
                    )
                ),
        ];
        try
        {
            var surveyed = 0;
            if (
                !await WatchAsync(
                    async () =>
                        HaveAll(bays)
                        && (
                            surveyed = (await client.MachinesAsync(null, null, default)).Count(m =>
                                m.SurveyedAt is not null
                            )
                        ) == agents,
                    TimeSpan.FromSeconds(3),
                    LongestEnrolling
                )
            )
            {
                // This host is too small for so many agents beside their service.
                TableRow.Print(
                    $"{agents:N0}",
                    $"not carried out: {surveyed:N0} enrolled and surveyed",
                    $"",
                    $"{LongestEnrolling.TotalSeconds:0}",
                    $"",
                    $"{service.Spent / LongestEnrolling:0.00}",
                    $"{service.MostBytes / 1_000_000} MB | | | | | |"
                );
                return;
            }
            await using (var listener = new Listener(service.Address, token))
            {
                var good = await CarryOutAsync(service, client, "Documents", () => Task.FromResult(HaveAll(bays)));
                var late = await LatenessAsync(client, good.Run, listener);
                Print("over good connections", good, late, "0 | 0 |  |  |  |");
            }
            var killed = 0;
            foreach (var part in bays)
                part.SetPoor(true);
            var poor = await CarryOutAsync(service, client, "Pictures", async () =>
            {
                HaveAll(bays);
                if (killed >= 5 || Random.Shared.Next(8) > 0)
                    return;
                service.Kill();
                killed++;
                await Task.Delay(Random.Shared.Next(200, 3_000));
                service.Start();
            });
            foreach (var part in bays)
                part.SetPoor(false);
            await Task.Delay(TimeSpan.FromSeconds(15));
            var broken = 0;
            foreach (var part in bays)
                broken += await part.EndAsync();
            service.Kill();
            var tally = Tally.Of(service.Folder, Path.Combine(data, "bays"), agents);
            Print(
                "over poor ones",
                poor,
                "",
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{killed} | {broken:N0} | {tally.Bulletins:N0} | {tally.Lost} | {tally.Miscounted} |"
                )
            );
        }
        finally
        {
            foreach (var part in bays)
                part.Dispose();
        }
    }

    private static bool HaveAll(List<Bays> bays) =>
        bays.Exists(b => b.HasFailed) ? throw new InvalidOperationException("An agent has ended on its own.") : true;

    private sealed record Done(RunView Run, TimeSpan Took, double Cores, long MostBytes);

    private static async Task<Done> CarryOutAsync(
        ServiceProcess service,
        FurloughClient client,
        string folders,
        Func<Task> disturb
    )
    {
        var plan = await client.MakePlanAsync(
            $"""
            furlough-brief: 1
            title: {folders} off the system volumes
            machines: {"{"}names: ["bay-*"]{"}"}
            volumes:
              roomy: {"{"}attached: internal, system: false{"}"}
            relocate:
              - folders: [{folders}]
                onto: roomy
                path: People/{"{account}/{folder}"}
            """,
            default
        );
        foreach (var hazard in plan.ConsentsWanted)
            await client.ConsentAsync(plan.Number, new ConsentRequest(hazard, "measured"), default);
        var (watch, spent) = (Stopwatch.StartNew(), service.Spent);
        var run = await client.StartRunAsync(plan.Number, default);
        _ = await WatchAsync(
            async () =>
            {
                await disturb();
                run = await client.RunAsync(run.Number, default);
                return run.EndedAt is not null;
            },
            LookEvery,
            LongestRun
        );
        return new Done(run, watch.Elapsed, (service.Spent - spent) / watch.Elapsed, service.MostBytes);
    }

    /// <returns>Whether it ended before the time was up.</returns>
    private static async Task<bool> WatchAsync(Func<Task<bool>> ended, TimeSpan every, TimeSpan most)
    {
        for (var watch = Stopwatch.StartNew(); watch.Elapsed < most; await Task.Delay(every))
            if (await ended())
                return true;
        return false;
    }

    /// <summary>
    /// How long after it happened on its machine a console learned that a relocation is done, in seconds.
    /// </summary>
    private static async Task<string> LatenessAsync(FurloughClient client, RunView run, Listener listener)
    {
        await Task.Delay(LookEvery);
        var relocations = await client.RelocationsAsync(run.Number, null, default);
        double[] late =
        [
            .. relocations
                .Where(r => listener.LastHeard.ContainsKey(r.Number))
                .Select(r => (listener.LastHeard[r.Number] - r.AsOf).TotalSeconds)
                .Order(),
        ];
        var missed = relocations.Count - late.Length;
        var rest = missed > 0 ? $"; {missed} not told" : "";
        return FormattableString.Invariant(
            $"{late[late.Length / 2]:0.00}, {late[late.Length * 99 / 100]:0.00}, {late[^1]:0.00} s{rest}"
        );
    }

    private void Print(string what, Done done, string late, string rest)
    {
        var relocations = string.Join(
            ", ",
            done.Run.Counts.Where(c => c.Value > 0)
                .Select(c => string.Create(CultureInfo.InvariantCulture, $"{c.Value:N0} {c.Key}"))
        );
        TableRow.Print(
            $"{agents:N0}",
            $"{what}",
            $"{relocations}",
            $"{done.Took.TotalSeconds:0}",
            $"{done.Run.Relocations / done.Took.TotalSeconds:0}",
            $"{done.Cores:0.00}",
            $"{done.MostBytes / 1_000_000} MB",
            $"{late}",
            $"{rest}"
        );
    }
}
