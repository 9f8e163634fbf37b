using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough audit`.</summary>
internal static class AuditCommands
{
    internal static Command Make() =>
        new Command("audit", "Compare machines with what is intended") { MakeCommand(), ListCommand(), ShowCommand() };

    private static Command MakeCommand()
    {
        var make = new Command("make", "Survey every machine again and compare it with what is intended");
        make.Calls(async (client, json, stop) => Show(await client.MakeAuditAsync(stop), json));
        return make;
    }

    private static Command ListCommand()
    {
        var list = new Command("list", "List audits, the newest first; at most 200") { Lists.Before };
        list.Calls(
            async (client, parsed, stop) =>
            {
                var audits = await client.AuditsAsync(parsed.GetValue(Lists.Before), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(audits);
                else
                    Terminal.Table(
                        [">audit", "made", "by", ">findings", ">blocking"],
                        audits.Select(a =>
                            (string[])[$"{a.Number}", $"{a.MadeAt:u}", a.MadeBy, $"{a.Findings}", $"{a.Blocking}"]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return list;
    }

    private static Command ShowCommand()
    {
        var number = new Argument<long>("number") { Description = "Number of the audit" };
        var show = new Command("show", "Show an audit's findings") { number };
        show.Calls(
            async (client, parsed, stop) =>
                Show(await client.AuditAsync(parsed.GetValue(number), stop), parsed.GetValue(Connection.Json))
        );
        return show;
    }

    private static int Show(AuditView audit, bool json)
    {
        if (json)
        {
            Terminal.Json(audit);
            return ExitCode.Done;
        }
        Terminal.Line(
            $"Audit {audit.Number} of {Words.Count(audit.Machines, "machine")}, {audit.MadeAt:u}: "
                + $"{Words.Count(audit.Findings.Count, "finding")}."
        );
        if (audit.Basis is { } basis)
            Terminal.Line(basis.ToString());
        foreach (var finding in audit.Findings)
        {
            Terminal.Line($"\n{finding.Severity.Word()}  {finding.Code}  {finding.Machine}");
            Terminal.Line($"  {finding.Text} {finding.Remedy}");
        }
        return ExitCode.Done;
    }
}
