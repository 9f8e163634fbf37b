using System.CommandLine;
using System.Diagnostics;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Furlough.Cli.Output;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli;

/// <summary>Options that every command has, and the client made from them.</summary>
internal static class Connection
{
    private const string DefaultAddress = "http://127.0.0.1:8400";

    internal static readonly Option<string?> Service = new("--service")
    {
        Description = $"Address of the service [FURLOUGH_SERVICE, default {DefaultAddress}]",
        Recursive = true,
    };
    internal static readonly Option<string?> Token = new("--token")
    {
        Description = "Token [FURLOUGH_TOKEN]",
        Recursive = true,
    };
    internal static readonly Option<string?> Certificate = new("--certificate")
    {
        Description =
            "File (PEM) with the certificate of the service or of its authority, where this system does not trust it "
            + "[FURLOUGH_CERTIFICATE]",
        Recursive = true,
    };
    internal static readonly Option<bool> Json = new("--json")
    {
        Description = "Print JSON for programs",
        Recursive = true,
    };

    internal static readonly Option<bool> Csv = new("--csv")
    {
        Description = "Print tables as CSV, for spreadsheets and scripts",
        Recursive = true,
    };

    /// <summary>Runs a command against the service; errors become one line with the remedy.</summary>
    internal static void Calls(
        this Command command,
        Func<FurloughClient, ParseResult, CancellationToken, Task<int>> act
    ) =>
        command.SetAction(
            async (parsed, stop) =>
            {
                try
                {
                    Output.Terminal.AsCsv = parsed.GetValue(Csv);
                    if (Output.Terminal.AsCsv && parsed.GetValue(Json))
                        throw new ServiceException(
                            400,
                            "one-form",
                            "--json and --csv are two forms.",
                            "Give one of them.",
                            null,
                            null
                        );
                    // Its trace id goes with every call of this command, and from there to the machines.
                    using var called = new Activity("furlough").SetIdFormat(ActivityIdFormat.W3C).Start();
                    using var client = Connect(parsed);
                    return await act(client, parsed, stop);
                }
                catch (ServiceException error)
                {
                    return Output.Terminal.Fail(error);
                }
                catch (IOException error)
                {
                    await Terminal.Error.WriteLineAsync($"furlough: {error.Message}");
                    return Output.ExitCode.WrongUse;
                }
                catch (OperationCanceledException)
                {
                    return Output.ExitCode.Failed;
                }
            }
        );

    /// <summary>The same for commands that need nothing of the command line.</summary>
    internal static void Calls(this Command command, Func<FurloughClient, bool, CancellationToken, Task<int>> act) =>
        command.Calls((client, parsed, stop) => act(client, parsed.GetValue(Json), stop));

    private static FurloughClient Connect(ParseResult parsed)
    {
        var file = ReadFile();
        var address = parsed.GetValue(Service)
            ?? Variable("FURLOUGH_SERVICE")
            ?? file.GetValueOrDefault("service")
            ?? DefaultAddress;
        var token = parsed.GetValue(Token) ?? Variable("FURLOUGH_TOKEN") ?? file.GetValueOrDefault("token");
        var certificate = parsed.GetValue(Certificate)
            ?? Variable("FURLOUGH_CERTIFICATE")
            ?? file.GetValueOrDefault("certificate");
        return Uri.TryCreate(address, UriKind.Absolute, out var uri) && uri.Scheme is "http" or "https"
            ? new FurloughClient(uri, token, certificate is { Length: > 0 } given ? Trusted(given) : null)
            : throw new ServiceException(
                400,
                "address-malformed",
                $"`{address}` is not an address of a service.",
                "Give it as https://HOST:8443, or as http://127.0.0.1:8400 on its own machine.",
                null,
                null
            );
    }

    /// <summary>One that is set to nothing is not set.</summary>
    private static string? Variable(string name) =>
        Environment.GetEnvironmentVariable(name) is { Length: > 0 } set ? set : null;

    private static X509Certificate2Collection Trusted(string file)
    {
        try
        {
            var read = new X509Certificate2Collection();
            read.ImportFromPemFile(file);
            if (read.Count > 0)
                return read;
        }
        catch (Exception unreadable) when (unreadable is CryptographicException or UnauthorizedAccessException)
        {
            throw new IOException($"The certificate {file} cannot be read: {unreadable.Message}");
        }
        throw new IOException($"There is no certificate (PEM) in {file}.");
    }

    private static string ConnectionFile =>
        Path.Combine(
            // Also where nobody has made it yet: an empty path would be the folder in which the command runs.
            Environment.GetFolderPath(
                Environment.SpecialFolder.ApplicationData,
                Environment.SpecialFolderOption.DoNotVerify
            ),
            "furlough",
            "connection"
        );

    /// <summary>Keeps a token for later commands, or forgets the one that was kept.</summary>
    /// <returns>The file.</returns>
    internal static string KeepToken(string? token)
    {
        var kept = ReadFile();
        kept.Remove("token");
        if (token is not null)
            kept["token"] = token;
        Directory.CreateDirectory(Path.GetDirectoryName(ConnectionFile)!);
        PrivateFile.Write(ConnectionFile, string.Concat(kept.Select(k => $"{k.Key}={k.Value}\n")));
        return ConnectionFile;
    }

    /// <summary>
    /// The file `furlough/connection` in the user's configuration folder: lines "service=…", "token=…" and "certificate=…".
    /// </summary>
    private static Dictionary<string, string> ReadFile()
    {
        return !File.Exists(ConnectionFile)
            ? []
            : File.ReadLines(ConnectionFile)
                .Select(l => l.Split('=', 2))
                .Where(p => p.Length == 2)
                .ToDictionary(p => p[0].Trim(), p => p[1].Trim());
    }
}
