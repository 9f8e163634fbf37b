using System.Runtime.Versioning;
using System.Security.Principal;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Microsoft.Win32;

namespace Furlough.Platform.Windows;

/// <summary>The engine's ports on the Windows system that the agent runs on.</summary>
[SupportedOSPlatform("windows")]
public sealed class WindowsMachine : IMachine
{
    /// <param name="fallback">Name of the fallback administrator's account, if there is one.</param>
    /// <param name="agentVersion">Reported in surveys.</param>
    /// <param name="time">The clock.</param>
    public WindowsMachine(string? fallback, string agentVersion, TimeProvider time)
    {
        Native.TakePrivileges();
        var volumes = new WindowsVolumes();
        var pointers = new WindowsPointers(new RegistryPointers(volumes), new WindowsFilePointers(volumes));
        var activity = new WindowsActivity(volumes);
        (Volumes, Pointers, Activity, Accounts) = (volumes, pointers, activity, new WindowsAccounts());
        Surveyor = new WindowsSurveyor(volumes, pointers, activity, fallback, agentVersion, time);
    }

    /// <inheritdoc/>
    public IVolumes Volumes { get; }

    /// <inheritdoc/>
    public IPointers Pointers { get; }

    /// <inheritdoc/>
    public IActivity Activity { get; }

    /// <inheritdoc/>
    public IAccounts Accounts { get; }

    /// <summary>Takes surveys of this system.</summary>
    public ISurveyor Surveyor { get; }

    /// <summary>A junction and a symbolic link to a folder, as texts that a volume's folders take.</summary>
    public static IReadOnlyList<string> FolderLinks =>
        [$"{Environment.SystemDirectory}|junction", $"{Environment.SystemDirectory}|folder"];

    /// <summary>What this system says it is; a changed one looks like a clone.</summary>
    public static string? Identity =>
        Registry.GetValue(@"HKEY_LOCAL_MACHINE\SOFTWARE\Microsoft\Cryptography", "MachineGuid", null) as string;
}

/// <summary>People and programs of a Windows system.</summary>
[SupportedOSPlatform("windows")]
internal sealed unsafe class WindowsActivity(WindowsVolumes volumes) : IActivity
{
    private const int MostListed = 100;

    /// <summary>
    /// Files that someone has open and does not let be moved. What a program opens without minding that is not found.
    /// </summary>
    public IReadOnlyList<string> InUse(Place place)
    {
        List<string> found = [];
        using var folder = WindowsVolumes.TryOpenFolder(place);
        if (folder is null)
            return found;
        Walk.Visit(
            folder,
            (within, name, path, facts) =>
            {
                if (facts.Kind != NodeKind.File || within is not WindowsFolder parent || found.Count >= MostListed)
                    return;
                if (
                    Native.TryOpen(
                        parent.Raw,
                        name,
                        Native.Delete | Native.ReadData,
                        Native.ShareAll,
                        Native.OpenExisting,
                        Native.NoFolder,
                        out var handle
                    ) == Native.SharingViolation
                )
                    found.Add($"a program: {volumes.Show(place)}\\{path.Replace('/', '\\')}");
                handle?.Dispose();
            },
            CancellationToken.None
        );
        return found;
    }

    public string? SignInRecord(string account) => SignInRights.Record(WindowsProfiles.Require(account).Sid);

    public void BarSignIn(string account) => SignInRights.Bar(WindowsProfiles.Require(account).Sid);

    public void AllowSignIn(string account, string record) =>
        SignInRights.Allow(WindowsProfiles.Require(account).Sid, record);

    public void GiveWay(bool gives) { }

    /// <summary>
    /// The system's list of profiles answers for homes, its own look-up for folders of the account that the agent runs
    /// in.
    /// </summary>
    public string? WhereIs(HoldingName holding)
    {
        if (holding.Kind == HoldingKind.Home)
            return WindowsProfiles.Require(holding.Account).Home;
        if (UserFolders.All.FirstOrDefault(f => f.Name == holding.Name).Id is var id && id == default)
            return null;
        using var me = WindowsIdentity.GetCurrent();
        if (WindowsProfiles.All().FirstOrDefault(p => p.Name == holding.Account)?.Sid != me.User?.Value)
            return null;
        char* path;
        if (Native.SHGetKnownFolderPath(&id, 0, 0, &path) != 0)
            return null;
        try
        {
            return new string(path);
        }
        finally
        {
            Native.CoTaskMemFree(path);
        }
    }

    /// <summary>
    /// Whose a process is is not looked at here: a program that is open for anybody is waited for. An account runs
    /// something for as long as the system has its settings loaded.
    /// </summary>
    public IReadOnlyList<string> Running(string account, IReadOnlyList<string>? programs)
    {
        if (programs is null)
            return WindowsProfiles.Require(account).IsSignedIn ? [$"its session ({account})"] : [];
        List<string> open = [];
        foreach (var process in System.Diagnostics.Process.GetProcesses())
            using (process)
                if (programs.Contains(process.ProcessName, StringComparer.OrdinalIgnoreCase))
                    open.Add(process.ProcessName);
        return [.. open.Distinct(StringComparer.OrdinalIgnoreCase)];
    }

    public string? Ask(string account, IReadOnlyList<string> command) => null;

    /// <summary>Nothing is shown on this system yet; a survey says so.</summary>
    public IShownNotice? Show(string account, ToldText told, TimeSpan length, bool mayPutOff) => null;
}

/// <summary>Accounts of a Windows system: security descriptors name them by identifiers that stay.</summary>
internal sealed class WindowsAccounts : IAccounts
{
    public IReadOnlyList<NumberedName> Names() => [];

    public void Give(IFolder folder, string account, string accountId) => ((WindowsFolder)folder).Close(accountId);

    /// <summary>
    /// Who comes in is decided by a folder's own descriptor, which is copied with it; the folders above do not matter.
    /// </summary>
    public IReadOnlySet<string> WhoReaches(IReadOnlyList<(NodeFacts Facts, Attributes Attributes)> folders) =>
        new HashSet<string>();

    public Attributes Renumbered(Attributes attributes, Func<uint, bool, uint> renumber) => attributes;
}
