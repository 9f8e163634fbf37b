using System.CommandLine;
using System.Net;
using System.Net.Sockets;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Service;
using Furlough.Service.Access;
using Furlough.Service.Tls;

namespace Furlough.Cli.Commands;

/// <summary>`furlough service`.</summary>
internal static class ServiceCommands
{
    internal static readonly Option<string> Data = new("--data")
    {
        Description = "Folder for storage, keys and the first token",
        DefaultValueFactory = _ => "/var/lib/furlough",
    };
    internal static readonly Option<int> Port = new("--port")
    {
        Description = "Port on this machine's loopback; 0 picks a free one",
        DefaultValueFactory = _ => 8400,
    };

    internal static readonly Option<string?> Listen = new("--listen")
    {
        Description =
            "Address for other machines, with TLS, such as https://0.0.0.0:8443; left out, only this machine is served, on "
            + "--port and without TLS",
    };

    private const string Password = "FURLOUGH_MAIL_PASSWORD";

    private static MailServer? MailServerOf(string? server, string? from, out string? wrong)
    {
        wrong = (server, from) switch
        {
            (null, null) => null,
            (null, _) or (_, null) => "--mail-server and --mail-from go together.",
            _ when !Uri.TryCreate(server, UriKind.Absolute, out var uri)
                    || uri.Scheme is not ("smtp" or "smtps")
                    || uri.Port <= 0 => $"`{server}` is not a mail server; give smtp://HOST:PORT or smtps://HOST:PORT.",
            _ when new Uri(server!).UserInfo.Contains(':') =>
                $"The mail server is to be given without a password, which everybody could read here; put that into {Password}.",
            _ when !from!.Contains('@') => $"`{from}` is not an address for mail.",
            _ => null,
        };
        if (wrong is not null || server is null)
            return null;
        var address = new Uri(server);
        return new MailServer(
            address,
            from!,
            address.UserInfo.Length > 0 ? Uri.UnescapeDataString(address.UserInfo) : null,
            Environment.GetEnvironmentVariable(Password)
        );
    }

    private static Uri? ListenOf(string? address, ref string? wrong)
    {
        if (address is null)
            return null;
        if (
            Uri.TryCreate(address, UriKind.Absolute, out var uri)
            && uri is { Scheme: "https", PathAndQuery: "/", UserInfo: "" }
            && IPAddress.TryParse(uri.DnsSafeHost, out _)
        )
            return uri;
        wrong = address.StartsWith("http:", StringComparison.Ordinal)
            ? $"`{address}` is without TLS, which is for this machine only: use --port for that, or an https address."
            : $"`{address}` is not an address to listen on; give one of this machine's, such as https://0.0.0.0:8443.";
        return null;
    }

    internal static Command Make() =>
        new Command("service", "Start and manage the service") { StartCommand(), Status(), Replace() };

    private static Command StartCommand()
    {
        var server = new Option<string?>("--mail-server")
        {
            Description =
                "Server through which mail is sent: smtp://HOST:PORT or smtps://HOST:PORT; with an account as "
                + $"smtp://ACCOUNT@HOST:PORT, its password in {Password}",
        };
        var from = new Option<string?>("--mail-from") { Description = "Address that mail comes from" };
        var callPrivate = new Option<bool>("--call-private-networks")
        {
            Description = "Let web calls go to addresses of private networks and of this machine",
        };
        var start = new Command("start", "Start the service and stay with it until it is asked to stop")
        {
            Data,
            Port,
            Listen,
            server,
            from,
            callPrivate,
        };
        start.SetAction(
            async (parsed, stop) =>
            {
                try
                {
                    var mail = MailServerOf(parsed.GetValue(server), parsed.GetValue(from), out var wrong);
                    var listen = ListenOf(parsed.GetValue(Listen), ref wrong);
                    if (wrong is not null)
                    {
                        await Terminal.Error.WriteLineAsync($"furlough: {wrong}");
                        return ExitCode.WrongUse;
                    }
                    await using var host = await ServiceHost.StartAsync(
                        new ServiceOptions(Path.GetFullPath(parsed.GetValue(Data)!), parsed.GetValue(Port))
                        {
                            Listen = listen,
                            Mail = mail,
                            MayCallPrivate = parsed.GetValue(callPrivate),
                        },
                        stop
                    );
                    Terminal.Output.WriteLine($"listening on {host.Address.ToString().TrimEnd('/')}");
                    var data = Path.GetFullPath(parsed.GetValue(Data)!);
                    if (listen is not null)
                        Terminal.Output.WriteLine(
                            $"its certificate is in {Path.Combine(data, TlsKeys.CertificateFile)}: where it is not trusted, "
                                + "give a copy to commands as --certificate FILE or FURLOUGH_CERTIFICATE"
                        );
                    var token = Path.Combine(data, StewardToken.FileName);
                    if (File.Exists(token))
                        Terminal.Output.WriteLine(
                            $"the steward's first token is in {token}: sign in to the console with it, or export "
                                + $"FURLOUGH_TOKEN=$(cat {token})"
                        );
                    await host.WaitAsync(stop);
                    return ExitCode.Done;
                }
                catch (OperationCanceledException) when (stop.IsCancellationRequested)
                {
                    // Told to stop before it had started.
                    return ExitCode.Done;
                }
                catch (Exception error)
                    when (error
                            is IOException
                                or SocketException
                                or UnauthorizedAccessException
                                or Microsoft.Data.Sqlite.SqliteException
                    )
                {
                    await Terminal.Error.WriteLineAsync($"furlough: the service cannot start: {error.Message}");
                    return ExitCode.Failed;
                }
            }
        );
        return start;
    }

    private static Command Status()
    {
        var status = new Command("status", "Show the state of the service");
        status.Calls(
            async (client, json, stop) =>
            {
                var s = await client.StatusAsync(stop);
                if (json)
                    Terminal.Json(s);
                else
                    Terminal.Line(
                        $"Furlough {s.Version}, up since {s.StartedAt:u}; {Words.Count(s.Machines, "machine")}, "
                            + $"{s.Silent} silent; you are {s.You.Name} ({s.You.Level.Word()})."
                    );
                return ExitCode.Done;
            }
        );
        return status;
    }

    private static Command Replace()
    {
        var replace = new Command(
            "replace-steward-token",
            "Create a new token for the steward when the former one is lost. Run it on the service's machine while the service is stopped"
        )
        {
            Data,
        };
        replace.SetAction(
            async (parsed, stop) =>
            {
                try
                {
                    Terminal.Output.WriteLine(
                        "the steward's new token is in "
                            + $"{await ServiceHost.ReplaceStewardTokenAsync(Path.GetFullPath(parsed.GetValue(Data)!), stop)}; "
                            + "the former one is worth nothing any more"
                    );
                    return ExitCode.Done;
                }
                catch (Exception error)
                    when (error is IOException or UnauthorizedAccessException or Microsoft.Data.Sqlite.SqliteException)
                {
                    await Terminal.Error.WriteLineAsync($"furlough: the token was not replaced: {error.Message}");
                    return ExitCode.Failed;
                }
            }
        );
        return replace;
    }
}
