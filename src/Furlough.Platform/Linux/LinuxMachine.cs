using Furlough.Engine.Ports;

namespace Furlough.Platform.Linux;

/// <summary>The engine's ports on the Linux system whose root folder is given.</summary>
public sealed class LinuxMachine : IMachine
{
    private readonly LinuxActivity _activity;
    private readonly LinuxSurveyor _survey;

    /// <param name="root">"/" for this machine, or the root folder of another tree (its accounts, homes and
    /// mounts).</param>
    /// <param name="fallback">Name of the fallback administrator's account, if there is one.</param>
    /// <param name="agentVersion">Reported in surveys.</param>
    /// <param name="time">The clock.</param>
    /// <param name="cardCommands">Whether commands of kind cards run on this machine.</param>
    /// <param name="rules">What the installation allows; null: nothing beyond what ships with the product.</param>
    /// <param name="agentFolder">The agent's data folder, into which nothing is put.</param>
    public LinuxMachine(
        string root,
        string? fallback,
        string agentVersion,
        TimeProvider time,
        bool cardCommands = false,
        LocalRules? rules = null,
        string? agentFolder = null
    )
    {
        var full = Path.GetFullPath(root);
        var volumes = new LinuxVolumes(full);
        var activity = new LinuxActivity(volumes, cardCommands);
        var userDirs = new XdgPointers(volumes);
        var pointers = new LinuxPointers(
            userDirs,
            new SettingFilePointers(volumes),
            new LinkPointers(volumes),
            new HomePointers(volumes),
            new CommandPointers(volumes, activity)
        );
        (Volumes, Pointers, Activity, Accounts, Launchers) = (
            volumes,
            pointers,
            activity,
            new LinuxAccounts(volumes),
            new LinuxLaunchers(volumes, cardCommands)
        );
        var floor = new LinuxFloor(volumes, fallback, rules ?? LocalRules.Usual, agentFolder);
        Floor = floor;
        _activity = activity;
        Surveyor = _survey = new LinuxSurveyor(
            volumes,
            userDirs,
            pointers,
            activity,
            new LinuxHomes(volumes),
            floor,
            fallback,
            agentVersion,
            time
        );
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

    /// <inheritdoc/>
    public IFloor? Floor { get; }

    /// <summary>
    /// Lets in again whom a bar of ours keeps out although no docket that is under way needs it, if everything of
    /// theirs is where their settings lead.
    /// </summary>
    /// <param name="needed">Accounts that dockets under way keep out.</param>
    /// <returns>A sentence for every account that was looked at.</returns>
    public IReadOnlyList<string> LiftBars(IReadOnlySet<string> needed)
    {
        List<string> said = [];
        foreach (var (account, former) in _activity.Barred.All().Where(b => !needed.Contains(b.Key)))
        {
            if (_survey.MissingOf(account) is { } missing)
                said.Add(
                    $"{account} is still locked out: {missing}. When that is corrected: `furlough-agent let-in {account}`."
                );
            else
            {
                _activity.AllowSignIn(account, former);
                said.Add($"{account} can sign in again: nothing needs the account locked out any more.");
            }
        }
        return said;
    }

    /// <summary>Lets an account in again that a bar of ours keeps out; false when none does.</summary>
    public bool LetIn(string account)
    {
        if (_activity.Barred.FormerOf(account) is not { } former)
            return false;
        _activity.AllowSignIn(account, former);
        return true;
    }

    /// <summary>Takes surveys of this system.</summary>
    public ISurveyor Surveyor { get; }
}
