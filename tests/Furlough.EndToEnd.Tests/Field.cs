using System.Diagnostics;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Furlough.Cli;
using Furlough.Service;
using Furlough.Service.Access.People;

namespace Furlough.EndToEnd.Tests;

/// <summary>What a command printed, and how it ended.</summary>
public sealed record Outcome(int Code, string Out, string Error)
{
    public JsonElement Json => JsonDocument.Parse(Out).RootElement;

    public override string ToString() => $"exit {Code}\n{Out}\n{Error}";
}

/// <summary>
/// A started service and agents, driven through the built programs as a technician would. Ends what it started.
/// </summary>
public sealed class Field : IDisposable
{
    internal static readonly string Repository = FindRepository();
    private static readonly HttpClient Http = new(
        new SocketsHttpHandler
        {
            SslOptions = { RemoteCertificateValidationCallback = (_, shown, _, _) => shown is not null },
        }
    );
    private readonly Dictionary<Process, StringBuilder> _agents = [];
    private ServiceHost? _host;
    private Process? _service;
    private int _port;
    private Uri? _listen;

    public string Folder { get; } = Directory.CreateTempSubdirectory("furlough-e2e-").FullName;

    public string Address => $"{(_listen is null ? "http" : "https")}://127.0.0.1:{_port}";

    /// <summary>Where agents look for the service; null for its own address.</summary>
    public string? AgentAddress { get; set; }

    /// <summary>A file with the certificate that commands trust; null without TLS.</summary>
    public string? Certificate { get; set; }

    public string Token => File.ReadAllText(Path.Combine(Folder, "service", "steward-token")).Trim();

    /// <summary>The clock of the service that runs in the tests' process.</summary>
    public ShiftedTime Time { get; } = new();

    /// <summary>Starts the service on loopback inside the tests' own process: compiled once for all of them.</summary>
    /// <param name="tls">It listens with TLS, and commands trust the certificate that it begins with.</param>
    /// <param name="provider">With which people sign in; null for nothing.</param>
    public void StartService(bool tls = false, SignInProvider? provider = null)
    {
        _listen = tls ? new Uri($"https://127.0.0.1:{_port}") : null;
        var options = new ServiceOptions(
            Path.Combine(Folder, "service"),
            _port,
            Path.Combine(Repository, "src/console/dist")
        )
        {
            MayCallPrivate = true,
            Time = Time,
            Listen = _listen,
            Provider = provider,
        };
        _host = Task.Run(() => ServiceHost.StartAsync(options, CancellationToken.None)).GetAwaiter().GetResult();
        _port = _host.Address.Port;
        if (tls)
            Certificate = Path.Combine(Folder, "service", "certificate.pem");
    }

    /// <summary>Starts the service as a program of its own, which can be killed, measured, and told more.</summary>
    public void StartServiceProgram(params string[] more)
    {
        string[] arguments =
        [
            "service",
            "start",
            "--data",
            Path.Combine(Folder, "service"),
            "--port",
            $"{_port}",
            "--call-private-networks",
            .. more,
        ];
        _service = Launch("furlough", arguments);
        var line = _service.StandardOutput.ReadLine()
            ?? throw new InvalidOperationException(_service.StandardError.ReadToEnd());
        _port = new Uri(line["listening on ".Length..]).Port;
        _ = _service.StandardOutput.ReadToEndAsync();
    }

    /// <summary>The service's process.</summary>
    public int ServiceId => ServiceProgram.Id;

    public void KillService() => Kill(ServiceProgram);

    /// <summary>Goes on with a service that is a program of its own.</summary>
    public void UseServiceProgram()
    {
        StopService();
        StartServiceProgram();
    }

    /// <summary>Tells the service to stop; what its program ended with.</summary>
    public int StopService()
    {
        if (_host is { } host)
        {
            Task.Run(async () => await host.DisposeAsync()).GetAwaiter().GetResult();
            _host = null;
            return 0;
        }
        Process.Start("kill", ["-TERM", $"{ServiceProgram.Id}"]).WaitForExit();
        ServiceProgram.WaitForExit();
        return ServiceProgram.ExitCode;
    }

    private Process ServiceProgram =>
        _service ?? throw new InvalidOperationException("Start the service as a program to end it from outside.");

    public Process StartAgent(
        string root,
        string name,
        string? code = null,
        string room = "Map Room",
        params string[] more
    ) => Keep(Launch("furlough-agent", [.. AgentArguments(root, name, code, room), .. more]));

    /// <summary>Starts the program that was installed somewhere, as a launcher of the agent's versions.</summary>
    public Process StartLauncher(string program, string root, string name, string? code = null) =>
        Keep(LaunchProgram(program, ["--launch", .. AgentArguments(root, name, code, "Map Room")]));

    /// <summary>
    /// Starts an agent that is killed as it makes the n-th of a system call; the process returned ends with it.
    /// </summary>
    public Process StartAgentKilledAt(string root, string name, string call, int n) =>
        StartAgentWith(root, name, call, $"signal=SIGKILL:when={n}");

    /// <summary>Starts an agent whose system calls of one name are tampered with: "error=EIO:when=3".</summary>
    public Process StartAgentWith(string root, string name, string call, string tampering) =>
        Keep(
            LaunchProgram(
                "strace",
                [
                    "-f",
                    "-o",
                    "/dev/null",
                    "-e",
                    $"trace={call}",
                    "-e",
                    $"inject={call}:{tampering}",
                    Program("furlough-agent"),
                    .. AgentArguments(root, name, null, "Map Room"),
                ]
            )
        );

    /// <summary>Kills a process and what it started or traces; returns when all of it is gone.</summary>
    public static void Kill(Process process)
    {
        // What is traced goes on when its tracer is killed: it is killed itself, and first.
        var traced = TracedBy(process.Id);
        foreach (var id in traced)
            Process.Start("kill", ["-KILL", $"{id}"]).WaitForExit();
        process.Kill(entireProcessTree: true);
        process.WaitForExit();
        WaitFor(() => !traced.Exists(id => Directory.Exists($"/proc/{id}")), "the end of what was traced");
    }

    private static List<int> TracedBy(int tracer)
    {
        List<int> traced = [];
        foreach (var folder in Directory.EnumerateDirectories("/proc"))
        {
            try
            {
                if (
                    int.TryParse(Path.GetFileName(folder), out var id)
                    && File.ReadLines($"{folder}/status").Any(l => l == $"TracerPid:\t{tracer}")
                )
                    traced.Add(id);
            }
            catch (IOException)
            {
                // It ended meanwhile.
            }
        }
        return traced;
    }

    private List<string> AgentArguments(string root, string name, string? code, string room) =>
        [
            "--service",
            AgentAddress ?? Address,
            "--root",
            root,
            "--data",
            Path.Combine(Folder, name),
            "--name",
            name,
            "--room",
            room,
            .. code is null ? Array.Empty<string>() : ["--code-file", CodeFile(code)],
        ];

    /// <summary>An agent that was started otherwise; it ends with the field.</summary>
    public Process Keep(Process agent)
    {
        _ = Log(agent.StandardOutput, _agents[agent] = new StringBuilder());
        _ = agent.StandardError.ReadToEndAsync();
        return agent;
    }

    private static async Task Log(StreamReader output, StringBuilder log)
    {
        while (await output.ReadLineAsync() is { } line)
            lock (log)
                log.AppendLine(line);
    }

    /// <summary>Waits until an agent has printed a text.</summary>
    public void WaitForLog(Process agent, string text) =>
        WaitFor(
            () =>
            {
                var log = _agents[agent];
                lock (log)
                    return log.ToString().Contains(text, StringComparison.Ordinal);
            },
            $"\"{text}\" in the agent's log"
        );

    /// <summary>Ends the agents before everything else.</summary>
    public void EndAgents()
    {
        foreach (var agent in _agents.Keys.Where(a => !a.HasExited))
            Kill(agent);
    }

    public string Invite(int machines = 1) =>
        Run("machine", "invite", "--machines", $"{machines}", "--json").Json.GetProperty("code").GetString()!;

    /// <summary>
    /// What the service answers the steward at an address below the API's: for what is asked again and again until it
    /// comes about.
    /// </summary>
    public JsonElement Ask(string path)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, $"{Address}/api/v1/{path}")
        {
            Headers = { Authorization = new AuthenticationHeaderValue("Bearer", Token) },
        };
        using var answer = Http.Send(request).EnsureSuccessStatusCode();
        return JsonDocument.Parse(answer.Content.ReadAsStream()).RootElement;
    }

    /// <summary>Waits until so many machines have been surveyed.</summary>
    public void WaitForSurveys(int machines = 1) =>
        WaitFor(
            () =>
                Ask("machines")
                    .EnumerateArray()
                    .Count(m => m.GetProperty("surveyedAt").ValueKind == JsonValueKind.String) == machines,
            machines == 1 ? "the survey" : $"{machines} surveys"
        );

    /// <summary>
    /// A furlough command as the steward, run inside the tests' own process: the same command line, compiled once for
    /// all of them.
    /// </summary>
    public Outcome Run(params string[] arguments) => RunAs(Token, arguments);

    public Outcome RunAs(string token, params string[] arguments)
    {
        using StringWriter output = new(),
            error = new();
        string[] trust = Certificate is { } file ? ["--certificate", file] : [];
        string[] all = ["--service", Address, "--token", token, .. trust, .. arguments];
        var code = Task.Run(() =>
                CommandLine.RunAsync(all, TextWriter.Synchronized(output), TextWriter.Synchronized(error), live: false)
            )
            .GetAwaiter()
            .GetResult();
        return new Outcome(code, output.ToString(), error.ToString());
    }

    public Outcome RunAgent(params string[] arguments)
    {
        using var process = Launch("furlough-agent", arguments);
        return Finish(process);
    }

    /// <summary>A file with an invite's code: on a command line everybody could read it.</summary>
    public string CodeFile(string code)
    {
        var path = Path.Combine(Folder, $"{Guid.NewGuid():N}.code");
        File.WriteAllText(path, code + "\n");
        return path;
    }

    public string WriteBrief(string text)
    {
        var path = Path.Combine(Folder, $"{Guid.NewGuid():N}.yaml");
        File.WriteAllText(path, text);
        return path;
    }

    public static void WaitFor(Func<bool> done, string what, int seconds = 180)
    {
        var watch = Stopwatch.StartNew();
        while (!done())
        {
            if (watch.Elapsed.TotalSeconds > seconds)
                throw new TimeoutException($"{what} did not come about in {seconds} s");
            CancellationToken.None.WaitHandle.WaitOne(100);
        }
    }

    public void Dispose()
    {
        foreach (var process in _agents.Keys.Append(_service).OfType<Process>())
        {
            if (!process.HasExited)
                Kill(process);
            process.Dispose();
        }
        if (_host is not null)
            StopService();
        Directory.Delete(Folder, recursive: true);
    }

    /// <summary>The path of a built program.</summary>
    public static string Program(string name) => Path.Combine(Repository, "bin", name);

    public static Process Launch(
        string program,
        IEnumerable<string> arguments,
        params (string Key, string Value)[] environment
    ) => LaunchProgram(Program(program), arguments, environment);

    private static Process LaunchProgram(
        string program,
        IEnumerable<string> arguments,
        params (string Key, string Value)[] environment
    )
    {
        var start = new ProcessStartInfo(program, arguments)
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            StandardOutputEncoding = Encoding.UTF8,
        };
        // Programs that run for seconds gain nothing from being compiled twice.
        start.Environment["DOTNET_TC_CallCountingDelayMs"] = "FFFFFF";
        foreach (var (key, value) in environment)
            start.Environment[key] = value;
        return Process.Start(start)!;
    }

    public static Outcome Finish(Process process)
    {
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return new Outcome(process.ExitCode, output, error.GetAwaiter().GetResult());
    }

    private static string FindRepository()
    {
        for (var at = new DirectoryInfo(AppContext.BaseDirectory); at is not null; at = at.Parent)
            if (File.Exists(Path.Combine(at.FullName, "Furlough.slnx")))
                return at.FullName;
        throw new InvalidOperationException("The working copy was not found.");
    }
}
