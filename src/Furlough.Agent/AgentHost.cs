using Furlough.Agent.Journal;
using Furlough.Agent.Launching;
using Furlough.Engine.Ports;
using Furlough.Platform.Linux;
using Furlough.Platform.Windows;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>The command line of the agent, read.</summary>
internal sealed record AgentHostOptions(
    string? Service,
    string? Code,
    string Root,
    string Data,
    string Name,
    string Room,
    string? Fallback,
    bool CardCommands
)
{
    /// <summary>Whether the invite is of no use any more to a machine that is enrolled.</summary>
    internal bool IsCodeUsedOnce { get; init; }

    /// <summary>File with the invite that is removed once the machine is enrolled; null for none.</summary>
    internal string? UsedUp { get; init; }

    /// <summary>What the machine lets be done to it.</summary>
    internal LocalRules Rules { get; init; } = LocalRules.Usual;
}

/// <summary>Puts an agent together for the system it runs on.</summary>
internal static class AgentHost
{
    private const string Journal = "agent.db";

    internal static async Task<int> RunAsync(AgentHostOptions options, CancellationToken stop)
    {
        if (!Directory.Exists(options.Root))
            throw new DirectoryNotFoundException($"There is no root folder {options.Root}.");
        PrivateFolder.Make(options.Data);
        var reserve = new SpaceReserve(options.Root);
        reserve.Release();
        using var alone = TakeAlone(Path.Combine(options.Data, "lock"));
        var journal = Path.Combine(options.Data, Journal);
        var launched = Launched.Here(options.Data);
        using (var former = FormerJournal.Of(journal, journal + ".next"))
            if (former is not null)
            {
                using var shown = launched?.Show(former.Store);
                Log("an earlier version wrote this agent's file: it is taken over as soon as the service has answered");
                await ServeAsync(options, former.Store, reserve, runtime => runtime.ReportHealthyAsync(stop), stop);
                if (stop.IsCancellationRequested)
                    return 0;
                if (launched is not null)
                    await launched.AwaitAcceptanceAsync(stop);
                former.Keep();
            }
        using var store = new AgentStore(journal);
        using var showing = launched?.Show(store);
        using var ends = CancellationTokenSource.CreateLinkedTokenSource(stop);
        await ServeAsync(options, store, reserve, runtime => WorkAsync(runtime, launched, ends), ends.Token);
        return ends.IsCancellationRequested && !stop.IsCancellationRequested ? Launcher.EndedForUpgrade : 0;
    }

    /// <summary>Works until told to stop, or until files of an upgrade are ready and nobody is locked out.</summary>
    private static async Task WorkAsync(AgentRuntime runtime, Launched? launched, CancellationTokenSource ends)
    {
        var working = runtime.RunAsync(ends.Token);
        if (launched is not null)
        {
            var upgrade = launched.AwaitUpgradeAsync(() => runtime.MayBeReplaced, ends.Token);
            if (await Task.WhenAny(working, upgrade) == upgrade && upgrade.IsCompletedSuccessfully)
                await ends.CancelAsync();
        }
        await working;
    }

    /// <summary>Puts an agent together around its file and lets it work.</summary>
    private static async Task ServeAsync(
        AgentHostOptions options,
        AgentStore store,
        SpaceReserve reserve,
        Func<AgentRuntime, Task> work,
        CancellationToken stop
    )
    {
        var address = options.Service
            ?? store.Setting("service")
            ?? throw new ServiceException(
                0,
                "no-service",
                "No service is named.",
                "Give --service ADDRESS.",
                null,
                null
            );
        if (
            !Uri.TryCreate(address.TrimEnd('/') + "/", UriKind.Absolute, out var uri)
            || uri.Scheme is not ("http" or "https")
        )
            throw new ServiceException(
                0,
                "address-malformed",
                $"`{address}` is not an address of a service.",
                "Give it as https://HOST:8443, or as http://127.0.0.1:8400 on its own machine.",
                null,
                null
            );
        if (uri.Scheme == "http" && !uri.IsLoopback)
            throw new ServiceException(
                0,
                "address-unsafe",
                "Without TLS the agent talks to this machine only.",
                "Give an https address.",
                null,
                null
            );
        var key = SigningKey.LoadOrMake(Path.Combine(options.Data, "agent-key"));
        using var http = new HttpClient(Connections(uri, options, store))
        {
            BaseAddress = uri,
            Timeout = TimeSpan.FromSeconds(60),
        };
        using var onlyOne = TakeSystem(options.Root);
        reserve.Keep();
        var (machine, plain) = Platform(options);
        foreach (var line in (machine as LinuxMachine)?.LiftBars(store.AccountsAtWork()) ?? [])
            Log(line);
        var surveyor = new ProvenSurveyor(plain, options.Data, Version());
        using var runtime = new AgentRuntime(
            new AgentOptions(
                options.Name,
                options.Room,
                options.IsCodeUsedOnce && store.Setting("machine") is not null ? null : options.Code,
                MachineId(options, store)
            )
            {
                Reserve = reserve,
                Boot = Boot(options.Root),
            },
            store,
            key,
            machine,
            surveyor,
            http,
            TimeProvider.System,
            Log
        );
        await runtime.EnrolAsync(stop);
        if (options.UsedUp is { } used)
            File.Delete(used);
        if (store.Setting("service") != address)
            store.SetSetting("service", address);
        foreach (var docket in store.DeskDockets())
            Log(
                $"falling back of relocation {docket.Relocation} was begun at this machine and is not done: stop "
                    + $"the agent, then `furlough-agent fall-back {docket.Relocation}`"
            );
        Log($"serving {options.Root} for {uri}");
        try
        {
            await work(runtime);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested) { }
    }

    private static HttpMessageHandler Connections(Uri service, AgentHostOptions options, AgentStore store) =>
        service.Scheme == "http"
            ? AgentClient.Connections()
            : new ServiceTrust(
                service,
                options.Code?.Split('.').ElementAtOrDefault(1) ?? store.Setting("service-key") ?? "",
                Path.Combine(options.Data, "tls-statement"),
                TimeProvider.System
            );

    /// <summary>
    /// Identity of this start of the machine; where the system has none, when it was started, to ten seconds.
    /// </summary>
    private static string Boot(string root)
    {
        const string linux = "proc/sys/kernel/random/boot_id";
        foreach (var file in (string[])[Path.Combine(root, linux), "/" + linux])
            if (File.Exists(file))
                return File.ReadAllText(file).Trim();
        var started = DateTimeOffset.UtcNow - TimeSpan.FromMilliseconds(Environment.TickCount64);
        return (started.ToUnixTimeSeconds() / 10).ToString(System.Globalization.CultureInfo.InvariantCulture);
    }

    /// <summary>
    /// Checks this system with a scratch account and keeps the report, on which surveys rest from then on.
    /// </summary>
    internal static int Check(AgentHostOptions options, string account, CancellationToken stop)
    {
        if (!Directory.Exists(options.Root))
            throw new DirectoryNotFoundException($"There is no root folder {options.Root}.");
        PrivateFolder.Make(options.Data);
        // No agent may be at work on this machine meanwhile.
        using var alone = TakeAlone(Path.Combine(options.Data, "lock"));
        var (machine, surveyor) = Platform(options);
        var report = new SelfCheck(
            machine,
            surveyor,
            OperatingSystem.IsWindows() ? WindowsMachine.FolderLinks : [],
            Version(),
            TimeProvider.System
        ).Run(account, Console.WriteLine, stop);
        report.Write(options.Data);
        var proven = report.IsPassed
            ? "Surveys call it proven from now on, for what the lines above name."
            : "Surveys go on calling it unproven.";
        Console.WriteLine(
            $"{report.OperatingSystem}: {report.Lines.Count(l => l.Wrong is null)} of {report.Lines.Count} passed. "
                + $"{proven} The report is in {options.Data}."
        );
        return report.IsPassed ? 0 : 1;
    }

    private static (IMachine Machine, ISurveyor Surveyor) Platform(AgentHostOptions options)
    {
        if (OperatingSystem.IsWindows())
        {
            var windows = new WindowsMachine(options.Fallback, Version(), TimeProvider.System);
            return (windows, windows.Surveyor);
        }
        if (!OperatingSystem.IsLinux())
            throw new PlatformNotSupportedException(
                "This agent serves Linux and Windows; adapters for this system are not built in."
            );
        var linux = new LinuxMachine(
            options.Root,
            options.Fallback,
            Version(),
            TimeProvider.System,
            options.CardCommands,
            options.Rules,
            options.Root == "/" ? Path.GetFullPath(options.Data) : null
        );
        return (linux, linux.Surveyor);
    }

    internal static void Log(string line) => Console.WriteLine($"{TimeProvider.System.GetUtcNow():u} {line}");

    private static string Version() => typeof(AgentHost).Assembly.GetName().Version?.ToString(3) ?? "0";

    private static string MachineId(AgentHostOptions options, AgentStore store)
    {
        if (OperatingSystem.IsWindows() && WindowsMachine.Identity is { Length: > 0 } identity)
            return identity;
        var file = Path.Combine(options.Root, "etc/machine-id");
        if (File.Exists(file) && File.ReadAllText(file).Trim() is { Length: > 0 } id)
            return id;
        if (store.Setting("machine-id") is { } kept)
            return kept;
        var made = Guid.NewGuid().ToString("N");
        store.SetSetting("machine-id", made);
        return made;
    }

    /// <summary>Falls back at the machine, without a network.</summary>
    internal static int FallBack(
        AgentHostOptions options,
        long relocation,
        DateTimeOffset? missingFrom,
        TextWriter to,
        CancellationToken stop
    )
    {
        if (!File.Exists(Path.Combine(options.Data, Journal)))
            throw new IOException($"No agent has worked in {options.Data} yet. Name its data folder with --data.");
        using var alone = TakeAlone(Path.Combine(options.Data, "lock"));
        using var onlyOne = TakeSystem(options.Root);
        var journal = Path.Combine(options.Data, Journal);
        using (var former = FormerJournal.Of(journal, journal + ".next"))
            former?.Keep();
        using var store = new AgentStore(journal);
        return new DeskFallBack(
            store,
            Platform(options).Machine,
            SigningKey.LoadOrMake(Path.Combine(options.Data, "agent-key")),
            TimeProvider.System,
            to
        ).Run(relocation, missingFrom, stop);
    }

    /// <summary>
    /// Lets an account in again that a bar of Furlough's keeps out, at the machine and without a network.
    /// </summary>
    internal static int LetIn(string root, string account, TextWriter to)
    {
        if (OperatingSystem.IsWindows())
            throw new PlatformNotSupportedException(
                "Let the account in with the system's own rights editor: take it out of those to whom sign-in is denied."
            );
        var done = new LinuxMachine(root, null, Version(), TimeProvider.System).LetIn(account);
        to.WriteLine(
            done
                ? $"{account} can sign in again."
                : $"Furlough does not keep {account} from signing in. If the person cannot sign in, something else is the reason."
        );
        return done ? 0 : 1;
    }

    /// <summary>Two agents on one system would take each other's work for their own.</summary>
    private static FileStream? TakeSystem(string root)
    {
        if (OperatingSystem.IsWindows())
            return null;
        var folder = Path.Combine(root, "var/lib/furlough-agent");
        Directory.CreateDirectory(folder);
        try
        {
            return new FileStream(
                Path.Combine(folder, "system-lock"),
                FileMode.OpenOrCreate,
                FileAccess.ReadWrite,
                FileShare.None
            );
        }
        catch (IOException)
        {
            throw new IOException($"Another agent works on the system at {root}. Stop that one first.");
        }
    }

    /// <summary>Two agents must not work on one journal.</summary>
    private static FileStream TakeAlone(string path)
    {
        try
        {
            return new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (IOException)
        {
            throw new IOException($"Another agent works with this data folder ({path} is locked). Stop it first.");
        }
    }
}
