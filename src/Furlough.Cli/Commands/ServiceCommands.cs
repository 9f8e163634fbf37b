using System.CommandLine;
using System.Net.Sockets;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Service;

namespace Furlough.Cli.Commands;

/// <summary>`furlough service`.</summary>
internal static class ServiceCommands
{
    internal static readonly Option<string> Data = new("--data") { Description = "Folder for storage, keys and the first token", DefaultValueFactory = _ => "/var/lib/furlough" };
    internal static readonly Option<int> Port = new("--port") { Description = "Port on this machine's loopback; 0 picks a free one", DefaultValueFactory = _ => 8400 };

    internal static Command Make()
    {
        var start = new Command("start", "Start the service and stay with it until it is told to stop") { Data, Port };
        start.SetAction(async (parsed, stop) =>
        {
            try
            {
                await using var host = await ServiceHost.StartAsync(new ServiceOptions(Path.GetFullPath(parsed.GetValue(Data)!), parsed.GetValue(Port)), stop);
                Console.WriteLine($"listening on {host.Address.ToString().TrimEnd('/')}");
                await host.WaitAsync(stop);
                return ExitCode.Done;
            }
            catch (Exception error) when (error is IOException or SocketException or UnauthorizedAccessException or Microsoft.Data.Sqlite.SqliteException)
            {
                await Console.Error.WriteLineAsync($"furlough: the service cannot start: {error.Message}");
                return ExitCode.Failed;
            }
        });
        var status = new Command("status", "Say how the service is");
        status.Calls(async (client, json, stop) =>
        {
            var s = await client.StatusAsync(stop);
            if (json) Terminal.Json(s);
            else Terminal.Line($"Furlough {s.Version}, up since {s.StartedAt:u}; {Words.Count(s.Machines, "machine")}, {s.Silent} silent; you are {s.You.Name} ({s.You.Role.Word()}).");
            return ExitCode.Done;
        });
        return new Command("service", "The service itself") { start, status };
    }
}
