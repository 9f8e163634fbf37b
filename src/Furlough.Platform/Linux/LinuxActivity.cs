using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>Sessions, open files and sign-in of a Linux system.</summary>
/// <param name="cardCommands">Whether commands of kind cards run on this machine.</param>
internal sealed class LinuxActivity(LinuxVolumes volumes, bool cardCommands) : IActivity
{
    private const int ExpiryField = 7;
    private const string Expired = "1";
    private const uint Nobody = 65_534;

    private readonly TreeUse _use = new(volumes);

    /// <summary>Who is locked out by us.</summary>
    internal BarredAccounts Barred { get; } = new(volumes);

    public IReadOnlyList<string> InUse(Place place)
    {
        var names = Passwd.People(volumes.Root).DistinctBy(p => p.User).ToDictionary(p => p.User, p => p.Name);
        return
        [
            .. _use.Of(place)
                .Select(h =>
                    h.Process is { } process
                        ? $"{process.Name} "
                            + $"({names.GetValueOrDefault(process.User, process.User.ToString(CultureInfo.InvariantCulture))}): "
                            + $"{volumes.Shown(h.Path)}"
                        : $"the system: {volumes.Shown(h.Path)}, {h.What}"
                ),
        ];
    }

    /// <summary>System services that hold files below a place open.</summary>
    internal IReadOnlyList<string> Services(Place place) =>
        [.. _use.Of(place).Select(h => h.Process?.Service()).OfType<string>().Distinct().Order(StringComparer.Ordinal)];

    /// <summary>What the account runs inside this system; null for nothing.</summary>
    internal AccountSession? Session(uint user)
    {
        List<RunningProcess> running = [.. OwnProcesses().Where(p => p.User == user)];
        return running.Count == 0
            ? null
            : new AccountSession(
                running.Min(p => p.StartedAt()) ?? DateTimeOffset.UnixEpoch,
                [
                    .. running
                        .Select(p => p.Environment("HOME"))
                        .OfType<string>()
                        .Distinct()
                        .Order(StringComparer.Ordinal),
                ]
            );
    }

    private IEnumerable<RunningProcess> OwnProcesses() =>
        Processes.All().Where(p => p.Root == (volumes.Root.Length == 0 ? "/" : volumes.Root));

    public IReadOnlyList<string> Running(string account, IReadOnlyList<string>? programs)
    {
        var people = Passwd
            .People(volumes.Root)
            .Where(p => account.Length == 0 || p.Name == account)
            .DistinctBy(p => p.User)
            .ToDictionary(p => p.User, p => p.Name);
        return
        [
            .. OwnProcesses()
                .Where(p => people.ContainsKey(p.User) && programs?.Contains(p.Name) != false)
                .Select(p => $"{p.Name} ({people[p.User]})")
                .Distinct(),
        ];
    }

    public string? Ask(string account, IReadOnlyList<string> command)
    {
        if (!cardCommands || Native.EffectiveUser() != 0)
            return null;
        var runner =
            account.Length == 0
                ? new PasswdEntry("nobody", Nobody, Nobody, "/")
                : Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == account)
                    ?? throw Faults.CommandFailed(command, $"has no account {account} to run in");
        var (output, why) = RunAs(runner, command);
        return output ?? throw Faults.CommandFailed(command, why!);
    }

    public string? SignInRecord(string account)
    {
        // A bar of ours that was left is not how the account's sign-in was.
        if (Barred.FormerOf(account) is { } former)
            return former;
        using var folder = Etc();
        return folder is null ? null : FieldOf(ContainerFile.Read(folder, "shadow"), account);
    }

    public void BarSignIn(string account)
    {
        using (var folder = Etc())
            if (folder is not null && FieldOf(ContainerFile.Read(folder, "shadow"), account) is { } now)
                Barred.Keep(account, now);
        SetExpiry(account, Expired);
    }

    public bool? IsBarred(string account)
    {
        using var folder = Etc();
        return folder is null ? null : FieldOf(ContainerFile.Read(folder, "shadow"), account) == Expired;
    }

    public void AllowSignIn(string account, string record)
    {
        SetExpiry(account, record);
        Barred.Forget(account);
    }

    public void GiveWay(bool gives)
    {
        const int thisThread = 0,
            oneProcess = 1,
            bestEffort = 2 << 13,
            lowest = 7,
            normal = 4;
        var setDiskPriority = RuntimeInformation.ProcessArchitecture == Architecture.Arm64 ? 30 : 251;
        // Threads that this one starts inherit both. A system without disk priorities refuses the second, which changes
        // nothing.
        _ = Native.SetPriority(0, thisThread, gives ? 10 : 0);
        _ = Native.SetDiskPriority(setDiskPriority, oneProcess, thisThread, bestEffort | (gives ? lowest : normal));
    }

    public string? WhereIs(HoldingName holding)
    {
        if (holding.Kind == HoldingKind.Home)
            return HomeOf(holding.Account);
        if (
            holding.Kind != HoldingKind.Folder
            || UserDirs.Keys.FirstOrDefault(k => k.Name == holding.Name).Key is not { } key
        )
            return null;
        if (Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == holding.Account) is not { } account)
            return null;
        const string tool = "/usr/bin/xdg-user-dir";
        if (!File.Exists(volumes.Root + tool) || Native.EffectiveUser() != 0)
            return null;
        var word = key["XDG_".Length..^"_DIR".Length];
        return RunAs(account, [tool, word]).Output;
    }

    /// <summary>The home that the system's own look-up names.</summary>
    private string? HomeOf(string account)
    {
        const string tool = "/usr/bin/getent";
        if (!File.Exists(volumes.Root + tool) || Native.EffectiveUser() != 0)
            return null;
        return Commands.Inside(volumes.Root, [tool, "passwd", account]).Output?.Split(':') is { Length: >= 7 } fields
            ? fields[5]
            : null;
    }

    /// <summary>Runs a command as an account would, in its home, with nothing of the agent's environment.</summary>
    private (string? Output, string? Why) RunAs(PasswdEntry account, IReadOnlyList<string> command) =>
        Commands.Inside(volumes.Root, As(account, command));

    private static IReadOnlyList<string> As(PasswdEntry account, IReadOnlyList<string> command) =>
        [
            "/usr/bin/setpriv",
            $"--reuid={account.User}",
            $"--regid={account.Group}",
            "--clear-groups",
            "/usr/bin/env",
            "-i",
            "-C",
            account.Home,
            "HOME=" + account.Home,
            "USER=" + account.Name,
            "LOGNAME=" + account.Name,
            "PATH=/usr/local/bin:/usr/bin:/bin",
            .. command,
        ];

    public IShownNotice? Show(string account, ToldText told, TimeSpan length, bool mayPutOff)
    {
        if (
            Native.EffectiveUser() != 0
            || !CanTell
            || Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == account) is not { } person
        )
            return null;
        return ScreenNotice.Show(
            () => OwnProcesses().Where(p => p.User == person.User),
            (bus, command) => Commands.From(volumes.Root, As(person, [bus, .. command])),
            told,
            length,
            mayPutOff
        );
    }

    /// <summary>Whether the system has what shows notices.</summary>
    internal bool CanTell => File.Exists(volumes.Root + ScreenNotice.Tool);

    private void SetExpiry(string account, string value)
    {
        using var folder = Etc() ?? throw new IoFault(IoReason.NotFound, "/etc", "no such folder");
        using var guard = PasswordFilesLock.Take(folder);
        ContainerFile.Edit(folder, "shadow", default, content =>
        {
            if (FieldOf(content, account) is null)
                throw new Fault(FaultKinds.AccountMissing, $"There is no sign-in entry for {account} any more.", "");
            var lines = Encoding.Latin1.GetString(content!).Split('\n');
            for (var i = 0; i < lines.Length; i++)
            {
                var fields = lines[i].Split(':');
                if (fields[0] != account || fields.Length <= ExpiryField)
                    continue;
                fields[ExpiryField] = value;
                lines[i] = string.Join(':', fields);
            }
            return Encoding.Latin1.GetBytes(string.Join('\n', lines));
        });
    }

    private static string? FieldOf(byte[]? content, string account) =>
        content is null
            ? null
            : Encoding
                .Latin1.GetString(content)
                .Split('\n')
                .Select(l => l.Split(':'))
                .FirstOrDefault(f => f[0] == account && f.Length > ExpiryField)
                ?[ExpiryField];

    private LinuxFolder? Etc() => volumes.TryOpenFolder("/etc");
}

/// <summary>The lock that the system's own account commands take while they change the account files.</summary>
internal sealed unsafe class PasswordFilesLock : IDisposable
{
    private const string Name = ".pwd.lock";
    private const int SetLock = 6;

    /// <summary>The file's lock is the process's, so it does not keep two of the agent's own threads apart.</summary>
    private static readonly Lock OneThread = new();

    private readonly LinuxFile _file;

    private PasswordFilesLock(LinuxFile file) => _file = file;

    internal static PasswordFilesLock Take(LinuxFolder etc)
    {
        OneThread.Enter();
        try
        {
            return TakeFile(etc);
        }
        catch
        {
            OneThread.Exit();
            throw;
        }
    }

    private static PasswordFilesLock TakeFile(LinuxFolder etc)
    {
        var file = (LinuxFile)(etc.Find(Name) is null ? etc.MakeFile(Name) : etc.OpenFile(Name, append: true));
        var whole = new Native.FileLock { Type = 1 };
        for (var attempt = 0; attempt < 100; attempt++)
        {
            if (Native.Control(file.Descriptor, SetLock, (nint)(&whole)) == 0)
                return new PasswordFilesLock(file);
            if (Marshal.GetLastPInvokeError() is not (11 or 13))
                break;
            CancellationToken.None.WaitHandle.WaitOne(100);
        }
        file.Dispose();
        throw new Fault(
            FaultKinds.AccountFilesLocked,
            "Another program keeps the account files locked.",
            "Wait for it to end."
        );
    }

    public void Dispose()
    {
        _file.Dispose();
        OneThread.Exit();
    }
}
