using Furlough.Agent.Journal;

namespace Furlough.Agent.Launching;

/// <summary>What an agent knows of its launcher, where it has one.</summary>
internal sealed class Launched
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(2);
    private readonly ProgramVersions _versions;
    private readonly string? _trial;
    private int _beats;

    private Launched(ProgramVersions versions, string? trial) => (_versions, _trial) = (versions, trial);

    /// <summary>Null where nobody launched this agent.</summary>
    internal static Launched? Here(string data) =>
        Environment.GetEnvironmentVariable(Launcher.LaunchedVariable) is { Length: > 0 }
            ? new Launched(
                ProgramVersions.Of(data),
                Environment.GetEnvironmentVariable(Launcher.TrialVariable) is { Length: > 0 } word ? word : null
            )
            : null;

    private bool IsAccepted =>
        _trial is null || (File.Exists(_versions.AcceptedFile) && File.ReadAllText(_versions.AcceptedFile) == _trial);

    /// <summary>
    /// Reads what the journal holds, and shows from then on that this agent is well; one that is not on trial shows nothing.
    /// </summary>
    /// <exception cref="FormatException">What is recorded of a docket cannot be read.</exception>
    internal IDisposable? Show(AgentStore store)
    {
        if (IsAccepted)
            return null;
        foreach (var (docket, _) in store.Dockets())
            store.Read(docket.Id);
        return new Timer(_ => Beat(), null, TimeSpan.Zero, Every);
    }

    private void Beat()
    {
        try
        {
            if (!IsAccepted)
                File.WriteAllText(_versions.HealthFile, $"{_trial} {Interlocked.Increment(ref _beats)}");
        }
        catch (IOException)
        {
            // The launcher reads it at this moment, or nothing can be written: then this version is not well.
        }
    }

    /// <summary>Waits until files of an upgrade are ready and this agent may be replaced.</summary>
    internal async Task AwaitUpgradeAsync(Func<bool> mayBeReplaced, CancellationToken stop)
    {
        while (!File.Exists(_versions.ReadyMark) || !mayBeReplaced())
            await Task.Delay(Every, stop);
    }

    /// <summary>Waits until this version is to stay: what the former one could not read is not written before.</summary>
    internal async Task AwaitAcceptanceAsync(CancellationToken stop)
    {
        while (!IsAccepted)
            await Task.Delay(Every, stop);
    }
}
