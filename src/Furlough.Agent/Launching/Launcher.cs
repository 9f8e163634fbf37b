using System.ComponentModel;
using System.Diagnostics;
using System.Globalization;
using Furlough.Platform.Linux;

namespace Furlough.Agent.Launching;

/// <summary>
/// Starts the agent as a process of its own and keeps its versions: it checks and unpacks upgrades, starts a new version
/// on trial, and goes back to the former one where that is not well. It is always the program that was installed; an
/// upgrade does not replace it.
/// </summary>
internal sealed class Launcher(ProgramVersions versions, IReadOnlyList<string> arguments, Action<string> log)
{
    /// <summary>With this the agent ends when files of an upgrade are ready and it may be replaced.</summary>
    internal const int EndedForUpgrade = 75;

    /// <summary>Names the folder of the data of a launched agent, and the word by which one on trial shows that it is well.</summary>
    internal const string TrialVariable = "FURLOUGH_AGENT_TRIAL",
        LaunchedVariable = "FURLOUGH_AGENT_LAUNCHED";

    private static readonly TimeSpan LongestTrial = TimeSpan.FromSeconds(90),
        WellFor = TimeSpan.FromSeconds(15),
        BeatWithin = TimeSpan.FromSeconds(10),
        Look = TimeSpan.FromMilliseconds(500);

    /// <summary>Runs until the agent ends otherwise than for an upgrade, or is told to stop; what it ended with.</summary>
    internal int Run(CancellationToken stop)
    {
        versions.Prepare();
        while (!stop.IsCancellationRequested)
        {
            using var agent = (File.Exists(versions.ReadyMark) ? TryUpgrade(stop) : null)
                ?? Start(versions.Current.Program, trial: null);
            var ended = Await(agent, stop);
            if (ended != EndedForUpgrade)
                return ended;
        }
        return 0;
    }

    /// <summary>Tries what has come; the new version as it goes on, or null where the former one is to go on.</summary>
    private Process? TryUpgrade(CancellationToken stop)
    {
        Version version;
        try
        {
            version = versions.Take();
        }
        catch (Exception refused) when (refused is UpgradeRefusedException or IOException)
        {
            Refuse($"the upgrade is refused: {refused.Message.TrimEnd('.')}");
            return null;
        }
        finally
        {
            versions.EndIncoming();
        }
        var former = versions.Current.Version;
        log($"trying version {version} in place of {former}");
        var word = Guid.NewGuid().ToString("N");
        Process agent;
        try
        {
            agent = Start(ProgramVersions.ProgramIn(versions.FolderOf(version)), word);
        }
        catch (Win32Exception cannot)
        {
            Refuse($"version {version} cannot be started ({cannot.Message}); {former} goes on");
            return null;
        }
        if (WhyNotWell(agent, word, stop) is not { } why)
        {
            versions.Accept(version);
            File.WriteAllText(versions.AcceptedFile, word);
            log($"version {version} is well and stays");
            return agent;
        }
        End(agent);
        agent.Dispose();
        if (!stop.IsCancellationRequested)
            Refuse($"version {version} was not well ({why}); {former} goes on");
        return null;
    }

    private void Refuse(string why)
    {
        log(why);
        versions.Refuse(why);
    }

    /// <summary>Watches a version on trial; null where it was well all the time.</summary>
    private string? WhyNotWell(Process agent, string word, CancellationToken stop)
    {
        var began = Stopwatch.GetTimestamp();
        var (shown, shownAt, wellSince) = ("", began, (long?)null);
        while (Stopwatch.GetElapsedTime(began) < LongestTrial)
        {
            if (stop.WaitHandle.WaitOne(Look))
                return "the agent was told to stop";
            if (agent.HasExited)
                return string.Create(CultureInfo.InvariantCulture, $"it ended with code {agent.ExitCode}");
            if (Shown() is { } now && now != shown && now.StartsWith(word, StringComparison.Ordinal))
            {
                (shown, shownAt) = (now, Stopwatch.GetTimestamp());
                wellSince ??= shownAt;
            }
            if (Stopwatch.GetElapsedTime(shownAt) > BeatWithin)
                wellSince = null;
            if (wellSince is { } since && Stopwatch.GetElapsedTime(since) >= WellFor)
                return null;
        }
        return $"it did not show within {LongestTrial.TotalSeconds} s that it could read its journal and was at work";
    }

    /// <summary>What a version on trial shows: its word, and a number that grows.</summary>
    private string? Shown()
    {
        try
        {
            return File.ReadAllText(versions.HealthFile);
        }
        catch (IOException)
        {
            // It is being written, or not there yet.
            return null;
        }
    }

    private Process Start(string program, string? trial)
    {
        var start = new ProcessStartInfo(program, arguments) { UseShellExecute = false };
        start.Environment[LaunchedVariable] = "1";
        if (trial is null)
            start.Environment.Remove(TrialVariable);
        else
            start.Environment[TrialVariable] = trial;
        return Process.Start(start)!;
    }

    /// <summary>Waits for the agent's end, and ends it when the launcher is told to stop.</summary>
    private static int Await(Process agent, CancellationToken stop)
    {
        using (stop.Register(() => Terminate(agent)))
            agent.WaitForExit();
        return agent.ExitCode;
    }

    private static void End(Process agent)
    {
        Terminate(agent);
        if (!agent.WaitForExit(TimeSpan.FromSeconds(20)))
            agent.Kill(entireProcessTree: true);
        agent.WaitForExit();
    }

    private static void Terminate(Process agent)
    {
        if (agent.HasExited)
            return;
        if (OperatingSystem.IsWindows())
            agent.Kill(entireProcessTree: true);
        else
            LinuxProcess.Terminate(agent.Id);
    }
}
