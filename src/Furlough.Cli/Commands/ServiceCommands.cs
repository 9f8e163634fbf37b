using System.CommandLine;
using System.Net.Sockets;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Service;
using Furlough.Service.Access;
using Furlough.Service.Backups;
using Furlough.Service.Settings;
using Furlough.Service.Tls;

namespace Furlough.Cli.Commands;

/// <summary>`furlough service`.</summary>
internal static class ServiceCommands
{
    private static readonly Option<string?> SettingsOption = new("--settings")
    {
        Description = $"File with settings; {SettingsFile.Usual} where there is one",
    };

    /// <summary>The settings as options; what is wrong with a value is told by what reads all of them.</summary>
    private static readonly IReadOnlyDictionary<Setting, Option> Options = ServiceSettings.All.ToDictionary(
        s => s,
        s =>
            s.Form == SettingForm.YesNo
                ? (Option)new Option<bool?>(s.Option) { Description = s.About }
                : new Option<string?>(s.Option) { Description = s.About }
    );

    internal static Command Make() =>
        new Command("service", "Start and manage the service")
        {
            StartCommand(),
            Check(),
            Settings(),
            Status(),
            BackUp(),
            PutBack(),
            Replace(),
        };

    private static ServiceOptions Read(ParseResult parsed) =>
        ServiceSettings.Read(FileOf(parsed), setting => Given(parsed, setting));

    private static string? FileOf(ParseResult parsed) =>
        parsed.GetValue(SettingsOption) ?? (File.Exists(SettingsFile.Usual) ? SettingsFile.Usual : null);

    private static string? Given(ParseResult parsed, Setting setting) =>
        Options[setting] switch
        {
            Option<bool?> flag => parsed.GetValue(flag)?.ToString().ToLowerInvariant(),
            var text => parsed.GetValue((Option<string?>)text),
        };

    private static Command WithSettings(this Command command)
    {
        command.Add(SettingsOption);
        foreach (var setting in ServiceSettings.All)
            command.Add(Options[setting]);
        return command;
    }

    /// <summary>Runs what needs settings; errors of settings and of starting become lines.</summary>
    private static async Task<int> TellingAsync(string failed, Func<Task> act)
    {
        try
        {
            await act();
            return ExitCode.Done;
        }
        catch (SettingsException wrong)
        {
            foreach (var error in wrong.Errors)
                await Terminal.Error.WriteLineAsync($"furlough: {error}");
            return ExitCode.WrongUse;
        }
        catch (Exception error)
            when (error
                    is IOException
                        or SocketException
                        or UnauthorizedAccessException
                        or Microsoft.Data.Sqlite.SqliteException
            )
        {
            await Terminal.Error.WriteLineAsync($"furlough: {failed}: {error.Message}");
            return ExitCode.Failed;
        }
    }

    private static Command StartCommand()
    {
        var start = new Command("start", "Start the service and stay with it until it is asked to stop").WithSettings();
        start.SetAction(
            (parsed, stop) => TellingAsync("the service cannot start", () => StartAsync(Read(parsed), stop))
        );
        return start;
    }

    private static async Task StartAsync(ServiceOptions options, CancellationToken stop)
    {
        try
        {
            await using var host = await ServiceHost.StartAsync(options, stop);
            Terminal.Output.WriteLine($"listening on {host.Address.ToString().TrimEnd('/')}");
            if (options.Listen is not null)
                Terminal.Output.WriteLine(
                    $"its certificate is in {Path.Combine(options.Data, TlsKeys.CertificateFile)}: where it is not trusted, "
                        + "give a copy to commands as --certificate FILE or FURLOUGH_CERTIFICATE"
                );
            var token = Path.Combine(options.Data, StewardToken.FileName);
            if (File.Exists(token))
                Terminal.Output.WriteLine(
                    $"the steward's first token is in {token}: sign in to the console with it, or export "
                        + $"FURLOUGH_TOKEN=$(cat {token})"
                );
            await host.WaitAsync(stop);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested)
        {
            // Told to stop before it had started.
        }
    }

    private static Command Check()
    {
        var check = new Command(
            "check",
            "Read the settings without starting anything, and show what is set and where"
        ).WithSettings();
        check.SetAction((parsed, _) => TellingAsync("the settings cannot be read", () =>
                {
                    Read(parsed);
                    Print(
                        ServiceSettings.Gather(FileOf(parsed), s => Given(parsed, s)),
                        parsed.GetValue(Connection.Json)
                    );
                    return Task.CompletedTask;
                }));
        return check;
    }

    private static void Print(IReadOnlyDictionary<string, SettingValue> set, bool json)
    {
        if (json)
            Terminal.Json(set);
        else if (set.Count == 0)
            Terminal.Line("Nothing is set; the service uses its defaults.");
        else
        {
            Terminal.Line("The settings can be used.");
            foreach (var (name, value) in set.OrderBy(s => s.Key, StringComparer.Ordinal))
                Terminal.Line($"  {name, -22} {value.Text}  ({value.Where})");
        }
    }

    private static Command Settings()
    {
        var schema = new Option<bool>("--schema") { Description = "Print the JSON Schema of the file instead" };
        var settings = new Command("settings", "Print a commented settings file to start from") { schema };
        settings.SetAction(parsed =>
            Terminal.Output.Write(parsed.GetValue(schema) ? SettingsFile.Schema : SettingsFile.Sample)
        );
        return settings;
    }

    private static Command Status()
    {
        var status = new Command("status", "Show the state of the service");
        status.Calls(
            async (client, json, stop) =>
            {
                var s = await client.StatusAsync(stop);
                if (json)
                {
                    Terminal.Json(s);
                    return ExitCode.Done;
                }
                Terminal.Line(
                    $"Furlough {s.Version}, up since {s.StartedAt:u}; {Words.Count(s.Machines, "machine")}, "
                        + $"{s.Silent} silent; you are {s.You.Name} ({s.You.Level.Word()})."
                );
                if (s.CertificateEnds is { } end)
                    Terminal.Line(
                        $"Its certificate ends on {end:yyyy-MM-dd}: `furlough certificate use` or `furlough certificate renew` "
                            + "shows a new one."
                    );
                if (s.ReplacedBy is { } other)
                    Terminal.Line(
                        $"It was replaced: {other.Machine} follows a service that was restored from its backup (since "
                            + $"{other.HeardAt:yyyy-MM-dd HH:mm}Z). Use that one, and stop this one."
                    );
                if (s.Backup is { Failed: { } why })
                    Terminal.Line($"Its last backup failed at {s.Backup.At:yyyy-MM-dd HH:mm}Z: {why}");
                else if (s.Backup is { } made)
                    Terminal.Line($"Its last backup was made at {made.At:yyyy-MM-dd HH:mm}Z.");
                return ExitCode.Done;
            }
        );
        return status;
    }

    private static Command BackUp()
    {
        var file = new Argument<string>("file") { Description = "Where the backup is put; nothing may be there" };
        var backup = new Command(
            "backup",
            "Back the service up, also while it runs. Run it on the service's machine, as the account of the service"
        )
        {
            file,
            SettingsOption,
            Options[ServiceSettings.Data],
            Options[ServiceSettings.BackupPassphrase],
        };
        backup.SetAction((parsed, _) => TellingAsync("no backup was made", () =>
                {
                    var (options, path) = (Read(parsed), Path.GetFullPath(parsed.GetValue(file)!));
                    var facts = Backup.Make(options.Data, path, options.BackupPassphrase, options.Time.GetUtcNow());
                    Terminal.Line(
                        $"the backup is in {path}: {Words.Count(facts.Machines, "machine")}, "
                            + $"{new FileInfo(path).Length:N0} bytes"
                    );
                    if (options.BackupPassphrase is null)
                        Terminal.Line(
                            "it holds the service's keys and is not closed with a passphrase: keep it where nobody else reads it"
                        );
                    return Task.CompletedTask;
                }));
        return backup;
    }

    private static Command PutBack()
    {
        var file = new Argument<string>("file") { Description = "The backup" };
        var restore = new Command(
            "restore",
            "Restore a service from its backup into an empty data folder; machines follow it from then on, and the former one no longer"
        )
        {
            file,
            SettingsOption,
            Options[ServiceSettings.Data],
            Options[ServiceSettings.BackupPassphrase],
        };
        restore.SetAction((parsed, _) => TellingAsync("the service was not restored", () =>
                {
                    var (options, path) = (Read(parsed), Path.GetFullPath(parsed.GetValue(file)!));
                    var facts = Restore.To(options.Data, path, options.BackupPassphrase, options.Time.GetUtcNow());
                    Terminal.Line(
                        $"restored into {options.Data}: the service as it was at {facts.MadeAt:yyyy-MM-dd HH:mm}Z, with "
                            + Words.Count(facts.Machines, "machine")
                    );
                    Terminal.Line(
                        "Next: start it where the machines look for it. Each machine then tells what it did since that time, "
                            + "before it gets any new work."
                    );
                    Terminal.Line(
                        "Tokens that were revoked since that time are valid again: look at `furlough access list`."
                    );
                    return Task.CompletedTask;
                }));
        return restore;
    }

    private static Command Replace()
    {
        var replace = new Command(
            "replace-steward-token",
            "Create a new token for the steward when the former one is lost. Run it on the service's machine while the service is stopped"
        )
        {
            SettingsOption,
            Options[ServiceSettings.Data],
        };
        replace.SetAction(
            (parsed, stop) =>
                TellingAsync("the token was not replaced", async () =>
                    Terminal.Output.WriteLine(
                        "the steward's new token is in "
                            + $"{await ServiceHost.ReplaceStewardTokenAsync(Read(parsed).Data, stop)}; "
                            + "the former one is worth nothing any more"
                    )
                )
        );
        return replace;
    }
}
