using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough certificate`.</summary>
internal static class CertificateCommands
{
    internal static Command Make() =>
        new Command("certificate", "Manage the certificate that the service shows") { Show(), Renew(), Use() };

    private static Command Show()
    {
        var pem = new Option<bool>("--pem")
        {
            Description = "Print the certificate itself (PEM), for those who are to trust it",
        };
        var show = new Command("show", "Show for which names the certificate is, and until when") { pem };
        show.Calls(
            async (client, parsed, stop) =>
            {
                var shown = await client.CertificateAsync(stop);
                if (parsed.GetValue(pem))
                    Terminal.Output.Write(shown.Pem.TrimEnd() + "\n");
                else
                    Print(shown, parsed.GetValue(Connection.Json));
                return ExitCode.Done;
            }
        );
        return show;
    }

    private static Command Renew()
    {
        var renew = new Command(
            "renew",
            "Make a new certificate of the service's own and show it from now on; agents know its key already"
        );
        renew.Calls(
            async (client, json, stop) =>
            {
                Print(await client.RenewCertificateAsync(stop), json);
                return ExitCode.Done;
            }
        );
        return renew;
    }

    private static Command Use()
    {
        var certificate = new Argument<string>("certificate")
        {
            Description = "File (PEM) with the certificate, then those between it and its authority",
        };
        var key = new Argument<string>("key") { Description = "File (PEM) with its key, without a passphrase" };
        var use = new Command("use", "Show a certificate of the office's from now on, without a restart")
        {
            certificate,
            key,
        };
        use.Calls(
            async (client, parsed, stop) =>
            {
                var request = new CertificateRequest(
                    await File.ReadAllTextAsync(parsed.GetValue(certificate)!, stop),
                    await File.ReadAllTextAsync(parsed.GetValue(key)!, stop)
                );
                Print(await client.UseCertificateAsync(request, stop), parsed.GetValue(Connection.Json));
                return ExitCode.Done;
            }
        );
        return use;
    }

    private static void Print(CertificateView shown, bool json)
    {
        if (json)
        {
            Terminal.Json(shown);
            return;
        }
        Terminal.Line($"For         {string.Join(", ", shown.Names)}");
        Terminal.Line($"Made by     {(shown.Own ? "the service itself" : shown.IssuedBy)}");
        Terminal.Line($"Valid       {shown.NotBefore:yyyy-MM-dd} to {shown.NotAfter:yyyy-MM-dd}");
        Terminal.Line($"SHA-256     {shown.Fingerprint}");
        Terminal.Line($"Agents      know its key by statement {shown.Statement}");
    }
}
