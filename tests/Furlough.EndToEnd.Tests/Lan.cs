using System.Diagnostics;
using Furlough.Platform.Tests;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// A network of the test's own: hosts are network namespaces on one switch, with addresses in 10.99.0.0/24. Nothing in
/// it reaches the machine's own networks.
/// </summary>
internal sealed class Lan : IDisposable
{
    private static int _made;
    private readonly string _name = $"furlough-{Environment.ProcessId}-{Interlocked.Increment(ref _made)}";
    private readonly List<string> _hosts = [];

    internal Lan()
    {
        Add("switch");
        LinuxTree.Sh($"ip -n {Space("switch")} link add lan type bridge && ip -n {Space("switch")} link set lan up");
    }

    /// <summary>Adds a host; its address.</summary>
    internal string Host(string name)
    {
        var address = $"10.99.0.{_hosts.Count}";
        Add(name);
        LinuxTree.Sh(
            $"ip link add wire0 netns {Space(name)} type veth peer name {name} netns {Space("switch")}"
                + $" && ip -n {Space("switch")} link set {name} master lan up"
                + $" && ip -n {Space(name)} addr add {address}/24 dev wire0 && ip -n {Space(name)} link set wire0 up"
        );
        return address;
    }

    /// <summary>Starts a program on a host.</summary>
    internal Process Start(string host, string program, params string[] arguments)
    {
        var start = new ProcessStartInfo("ip", ["netns", "exec", Space(host), program, .. arguments])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        return Process.Start(start)!;
    }

    /// <summary>Runs a program on a host to its end.</summary>
    internal Outcome Run(string host, string program, params string[] arguments)
    {
        using var process = Start(host, program, arguments);
        return Field.Finish(process);
    }

    public void Dispose()
    {
        foreach (var host in _hosts)
            LinuxTree.Sh($"ip netns pids {Space(host)} | xargs -r kill -KILL; ip netns delete {Space(host)}");
    }

    private void Add(string name)
    {
        LinuxTree.Sh($"ip netns add {Space(name)} && ip -n {Space(name)} link set lo up");
        _hosts.Add(name);
    }

    /// <summary>The name of a host's namespace.</summary>
    internal string Space(string host) => $"{_name}-{host}";
}
