using Furlough.Engine.Ports;

namespace Furlough.Platform.Linux;

/// <summary>The engine's ports on the Linux system whose root folder is given.</summary>
public sealed class LinuxMachine : IMachine
{
    /// <param name="root">"/" for this machine, or the root folder of another tree (its accounts, homes and mounts).</param>
    /// <param name="fallback">Name of the fallback administrator's account, if there is one.</param>
    /// <param name="agentVersion">Reported in surveys.</param>
    /// <param name="time">The clock.</param>
    /// <param name="cardCommands">Whether commands of kind cards run on this machine.</param>
    public LinuxMachine(string root, string? fallback, string agentVersion, TimeProvider time, bool cardCommands = false)
    {
        var full = Path.GetFullPath(root);
        var volumes = new LinuxVolumes(full);
        var activity = new LinuxActivity(volumes, cardCommands);
        var userDirs = new XdgPointers(volumes);
        var pointers = new LinuxPointers(userDirs, new SettingFilePointers(volumes), new LinkPointers(volumes), new HomePointers(volumes), new CommandPointers(volumes, activity));
        (Volumes, Pointers, Activity, Accounts, Launchers) = (volumes, pointers, activity, new LinuxAccounts(volumes), new LinuxLaunchers(volumes, cardCommands));
        Surveyor = new LinuxSurveyor(volumes, userDirs, pointers, activity, new LinuxHomes(volumes), fallback, agentVersion, time);
    }

    /// <inheritdoc/>
    public IVolumes Volumes { get; }

    /// <inheritdoc/>
    public IPointers Pointers { get; }

    /// <inheritdoc/>
    public IActivity Activity { get; }

    /// <inheritdoc/>
    public IAccounts Accounts { get; }

    /// <inheritdoc/>
    public ILaunchers? Launchers { get; }

    /// <summary>Takes surveys of this system.</summary>
    public ISurveyor Surveyor { get; }
}
