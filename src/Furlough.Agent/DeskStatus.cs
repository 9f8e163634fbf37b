using System.Globalization;
using Furlough.Agent.Journal;
using Furlough.Agent.Launching;
using Furlough.Engine.Queue;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>What someone standing at the machine can ask, without a network.</summary>
internal static class DeskStatus
{
    internal static int Print(string data, TextWriter to)
    {
        var file = Path.Combine(data, "agent.db");
        if (!File.Exists(file))
        {
            to.WriteLine($"No agent has worked in {data} yet.");
            return 1;
        }
        // The agent at work may be the earlier version: its file is only looked at.
        using var former = FormerJournal.Of(file, $"{file}.status-{Environment.ProcessId}");
        using var store = former is null ? new AgentStore(file) : null;
        Print(former?.Store ?? store!, to);
        Print(ProgramVersions.Of(data), to);
        return 0;
    }

    private static void Print(ProgramVersions versions, TextWriter to)
    {
        to.WriteLine($"version {versions.Current.Version}");
        if (File.Exists(versions.ReadyMark))
            to.WriteLine($"an upgrade to {File.ReadAllText(versions.ReadyMark).Trim()} lies ready");
        if (versions.LastRefusal is { } refusal)
            to.WriteLine($"the last upgrade was not made: {refusal}");
    }

    /// <summary>
    /// Says what is still undecided here when the agent is taken from the machine, and whether it may be.
    /// </summary>
    /// <returns>1 while a relocation is under way: taken away now, it would stay in the middle.</returns>
    internal static int BeforeRemoval(string data, TextWriter to)
    {
        var file = Path.Combine(data, "agent.db");
        if (!File.Exists(file))
            return 0;
        using var former = FormerJournal.Of(file, $"{file}.status-{Environment.ProcessId}");
        using var store = former is null ? new AgentStore(file) : null;
        return BeforeRemoval(former?.Store ?? store!, to);
    }

    private static int BeforeRemoval(AgentStore store, TextWriter to)
    {
        var begun = store.Begun();
        foreach (var docket in begun)
            to.WriteLine(
                $"relocation {docket.Relocation} of {docket.Holding} is under way. Let it end, or take it back with "
                    + $"`furlough relocation back-out {docket.Relocation}`; then remove the agent."
            );
        foreach (var original in store.Originals())
            to.WriteLine(
                $"the original of {original.Holding} ({Words.Size(original.DataBytes)}), set aside on "
                    + $"{original.SetAside:yyyy-MM-dd}, stays beside its former place: without an agent nobody discards it"
            );
        return begun.Count == 0 ? 0 : 1;
    }

    private static void Print(AgentStore store, TextWriter to)
    {
        to.WriteLine(
            $"{store.Setting("name") ?? "(not enrolled)"}, service {store.Setting("service") ?? "(none)"}, last "
                + $"contact {store.Setting("last-contact") ?? "never"}"
        );
        var unsent = store
            .BulletinsAfter(long.Parse(store.Setting("acknowledged") ?? "0", CultureInfo.InvariantCulture), 10_000)
            .Count;
        if (unsent > 0)
            to.WriteLine($"{Words.Count(unsent, "bulletin")} not handed in yet");
        var waits = WaitsOf(store);
        foreach (
            var (docket, last) in store
                .Dockets()
                .Where(d => d.Docket.Work.MovesHolding())
                .GroupBy(d => d.Docket.Relocation)
                .Select(g => g.Last())
        )
        {
            to.WriteLine(
                $"relocation {docket.Relocation}  {docket.Holding}  "
                    + $"{(last?.State ?? RelocationState.Queued).Word()}  {last?.Step?.Word()}  live at "
                    + $"{(last?.Live ?? Live.Unknown).Word()}"
            );
            if (last?.Failure is { } failure)
                to.WriteLine($"    {failure.InFull()}");
            else if (waits.GetValueOrDefault(docket.Id) is { } wait)
                to.WriteLine($"    waits for relocation {wait.For.Relocation}, which needs {wait.Reason}");
        }
        foreach (var original in store.Originals())
            to.WriteLine(
                $"original  {original.Holding}  {Words.Size(original.DataBytes)}  set aside {original.SetAside:u}"
            );
        foreach (var (at, text) in store.Refusals())
            to.WriteLine($"not accepted {at}  {text}");
    }

    /// <summary>What every docket that has not begun waits for.</summary>
    private static Dictionary<Guid, QueueWait> WaitsOf(AgentStore store) =>
        AgentRuntime
            .Queue.Decide(AgentRuntime.OpenDockets(store), store.UnderWay())
            .Where(d => d.Wait is not null)
            .ToDictionary(d => d.Docket.Id, d => d.Wait!);
}
