using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;

namespace Furlough.Cli.Commands;

/// <summary>`furlough plan difference`.</summary>
internal static class PlanDifferenceCommand
{
    internal static Command Make()
    {
        var from = new Argument<long>("from") { Description = "Number of the earlier plan" };
        var to = new Argument<long>("to") { Description = "Number of the later plan" };
        var difference = new Command("difference", "Show the differences between two plans") { from, to };
        difference.Calls(
            async (client, parsed, stop) =>
            {
                var (a, b) = (parsed.GetValue(from), parsed.GetValue(to));
                var changes = await client.PlanDifferenceAsync(a, b, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(changes);
                else
                    Print(a, b, changes);
                return ExitCode.Done;
            }
        );
        return difference;
    }

    private static void Print(long from, long to, PlanChanges c)
    {
        Terminal.Table(
            ["", ">machines", ">relocations", ">data", ">outage"],
            new[] { (Plan: from, Totals: c.Before), (Plan: to, Totals: c.After) }.Select(p =>
                (string[])
                    [
                        $"plan {p.Plan}",
                        $"{p.Totals.Machines}",
                        $"{p.Totals.Relocations}",
                        Words.Size(p.Totals.DataBytes),
                        Words.Length(p.Totals.Outage.Likely),
                    ]
            )
        );
        Names("Machines that came", c.MachinesAdded);
        Names("Machines that went", c.MachinesGone);
        Relocations("came", c.Added);
        Relocations("went", c.Gone);
        Relocations("changed", c.Changed);
        foreach (var h in c.Hazards)
            Terminal.Line($"\n{h.Severity.Word()}  {h.Code}: {h.After}, was {h.Before}");
        if (
            c is
            {
                MachinesAdded.Count: 0,
                MachinesGone.Count: 0,
                Added.Count: 0,
                Gone.Count: 0,
                Changed.Count: 0,
                Hazards.Count: 0
            }
        )
            Terminal.Line("\nNothing differs.");
    }

    private static void Names(string what, IReadOnlyList<string> names)
    {
        if (names.Count > 0)
            Terminal.Line($"\n{what}: {string.Join(", ", names)}");
    }

    private static void Relocations(string what, IReadOnlyList<RelocationDifference> some)
    {
        if (some.Count == 0)
            return;
        Terminal.Line($"\n{Words.Count(some.Count, "relocation")} {what}");
        foreach (var r in some)
            Terminal.Line($"  {r.Machine}  {r.Holding}: {string.Join("; ", r.Changes)}");
    }
}
