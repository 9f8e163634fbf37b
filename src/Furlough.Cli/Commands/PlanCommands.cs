using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Planning.DeskNotices;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough plan`.</summary>
internal static class PlanCommands
{
    private static readonly Argument<long> Number = new("number") { Description = "Number of the plan" };

    internal static Command Make() =>
        new Command("plan", "Make and show plans: briefs worked out against surveys")
        {
            MakeCommand(),
            ListCommand(),
            ShowCommand(),
            PlanDifferenceCommand.Make(),
            Consent(),
            Notice(),
        };

    private static Command MakeCommand()
    {
        var make = new Command("make", "Make a plan: work a brief out against the latest surveys")
        {
            BriefCommands.File,
        };
        make.Calls(
            async (client, parsed, stop) =>
                Show(
                    await client.MakePlanAsync(BriefCommands.ReadText(parsed.GetValue(BriefCommands.File)!), stop),
                    parsed.GetValue(Connection.Json),
                    false
                )
        );
        return make;
    }

    private static Command ListCommand()
    {
        var list = new Command("list", "List plans, the newest first; at most 200") { Lists.Before };
        list.Calls(
            async (client, parsed, stop) =>
            {
                var plans = await client.PlansAsync(parsed.GetValue(Lists.Before), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(plans);
                else
                    Terminal.Table(
                        [
                            ">plan",
                            "title",
                            "digest",
                            "made",
                            "by",
                            ">machines",
                            ">relocations",
                            ">data",
                            ">blocked",
                            ">consents wanted",
                        ],
                        plans.Select(p =>
                            (string[])
                                [
                                    $"{p.Number}",
                                    p.Title,
                                    p.Digest,
                                    $"{p.MadeAt:u}",
                                    p.MadeBy,
                                    $"{p.Machines}",
                                    $"{p.Relocations}",
                                    Words.Size(p.DataBytes),
                                    $"{p.Blocking}",
                                    $"{p.ConsentsWanted}",
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return list;
    }

    private static Command ShowCommand()
    {
        var show = new Command("show", "Show a plan: relocations, space, hazards") { Number };
        show.Calls(
            async (client, parsed, stop) =>
                Show(await client.PlanAsync(parsed.GetValue(Number), stop), parsed.GetValue(Connection.Json), true)
        );
        return show;
    }

    private static Command Consent()
    {
        var hazard = new Option<string>("--hazard") { Description = "Code of the hazard", Required = true };
        var reason = new Option<string>("--reason") { Description = "Why the hazard is acceptable", Required = true };
        var consent = new Command("consent", "Accept a hazard of a plan, with your name and a reason")
        {
            Number,
            hazard,
            reason,
        };
        consent.Calls(
            async (client, parsed, stop) =>
            {
                var plan = await client.ConsentAsync(
                    parsed.GetValue(Number),
                    new ConsentRequest(parsed.GetValue(hazard)!, parsed.GetValue(reason)!),
                    stop
                );
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(plan);
                else
                    Terminal.Line($"Accepted {parsed.GetValue(hazard)} in plan {plan.Number}. {Next(plan)}");
                return ExitCode.Done;
            }
        );
        return consent;
    }

    private static Command Notice()
    {
        var machine = new Option<string?>("--machine") { Description = "Only for this machine" };
        var language = new Option<string>("--language")
        {
            Description = string.Join(", ", DeskLanguage.All.Select(l => l.Code)),
            DefaultValueFactory = _ => "en",
        };
        language.AcceptOnlyFromAmong([.. DeskLanguage.All.Select(l => l.Code)]);
        var begins = new Option<DateTimeOffset?>("--begins") { Description = "When the run will start; left out, now" };
        var command = new Command("notice", "Print a desk notice: what happens, when, how long, what to close")
        {
            Number,
            machine,
            language,
            begins,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var plan = await client.PlanAsync(parsed.GetValue(Number), stop);
                var notices = DeskNotice
                    .Of(
                        plan.Relocations,
                        plan.Calendar,
                        plan.Hours,
                        parsed.GetValue(begins) ?? TimeProvider.System.GetUtcNow(),
                        TimeZoneInfo.Local,
                        DeskLanguage.Find(parsed.GetValue(language)!)!
                    )
                    .Where(n => parsed.GetValue(machine) is not { } only || n.Machine == only)
                    .ToList();
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(notices);
                else if (Terminal.AsCsv)
                    Terminal.Table(
                        ["machine", "room", "account", "text"],
                        notices.Select(n => (string[])[n.Machine, n.Room, n.Account, n.Text])
                    );
                else
                    foreach (var notice in notices)
                    {
                        Terminal.Line($"{notice.Machine} ({notice.Room}), {notice.Account}");
                        Terminal.Paragraph(2, notice.Text);
                        Terminal.Line();
                    }
                return notices.Count > 0 ? ExitCode.Done : ExitCode.Failed;
            }
        );
        return command;
    }

    private static int Show(PlanView plan, bool json, bool whole)
    {
        if (json)
        {
            Terminal.Json(plan);
            return ExitCode.Done;
        }
        var going = plan.Relocations.Where(r => r.Blocked.Count == 0).ToList();
        Terminal.Line($"Plan {plan.Number}  {plan.Title}  digest {plan.Digest}");
        var outage = Span.Sum(plan.Machines.Select(m => m.Outage));
        Terminal.Line(
            $"{Words.Count(going.Count, "relocation")} on "
                + $"{Words.Count(going.Select(r => r.Machine).Distinct().Count(), "machine")}, "
                + $"{Words.Size(going.Sum(r => r.DataBytes))}; {plan.Relocations.Count - going.Count} blocked."
        );
        var locked =
            outage == Span.None ? "Nobody is locked out." : $"Accounts are locked out for {Time(outage)} in total.";
        Terminal.Line(going.Count == 0 ? "" : $"{locked} {Learned(going)}");
        if (plan.Hours.Count > 0)
            Terminal.Line(
                $"Allowed hours: {string.Join(", ", plan.Hours.Select(h => $"{h.From:u} to {h.To:u}"))}, and so on."
            );
        Terminal.Line();
        if (whole)
        {
            ShowRelocations(plan);
            Terminal.Line();
        }
        ShowWaves(plan);
        Terminal.Line();
        ShowVolumes(plan, whole);
        ShowHazards(plan, whole);
        foreach (var consent in plan.Consents)
            Terminal.Line($"\n{consent.Hazard} accepted by {consent.By} at {consent.At:u}: {consent.Reason}");
        Terminal.Line();
        Terminal.Line(Next(plan));
        return ExitCode.Done;
    }

    private static void ShowRelocations(PlanView plan) =>
        Terminal.Table(
            ["machine", ">#", "holding", "from", "to", "method", ">data", ">takes", ">outage", "wave", "blocked by"],
            plan.Relocations.Select(r =>
                (string[])
                    [
                        r.MachineName,
                        $"{r.Sequence}",
                        r.Holding.ToString(),
                        r.SourceShown,
                        r.TargetShown,
                        r.Method.Word() + (r.Attended ? ", attended" : ""),
                        !r.Method.MovesData() ? "none" : Words.Size(r.DataBytes),
                        Time(r.Forecast?.Work),
                        r.Forecast?.Outage == Span.None ? "none" : Time(r.Forecast?.Outage),
                        r.Wave,
                        string.Join(", ", r.Blocked),
                    ]
            )
        );

    private static void ShowWaves(PlanView plan) =>
        Terminal.Table(
            ["wave", ">machines", ">relocations", ">data", ">starts after", ">takes", "slowest"],
            plan.Calendar.Select(w =>
                (string[])
                    [
                        w.Wave,
                        $"{w.Machines}",
                        $"{w.Relocations}",
                        Words.Size(w.DataBytes),
                        w.Relocations == 0 ? "" : Words.Length(w.Begins),
                        w.Relocations == 0 ? "" : Time(w.Takes),
                        w.Slowest ?? "",
                    ]
            )
        );

    private static void ShowVolumes(PlanView plan, bool whole) =>
        Terminal.Table(
            ["machine", "volume", ">size", ">free now", ">lowest", "when", ">after discard", ">reserve"],
            plan.Machines.SelectMany(m =>
                m.Volumes.Where(v =>
                        v.Timeline.Count > 1
                        && (whole || v.LowestFreeBytes != v.FreeBytes || v.FreeAfterDiscardBytes != v.FreeBytes)
                    )
                    .Select(v =>
                        (string[])
                            [
                                m.Name,
                                v.Root,
                                Words.Size(v.SizeBytes),
                                Words.Size(v.FreeBytes),
                                Words.Size(v.LowestFreeBytes),
                                v.Timeline.MinBy(p => p.FreeBytes)!.What,
                                Words.Size(v.FreeAfterDiscardBytes),
                                v.ReserveBytes > 0 ? Words.Size(v.ReserveBytes) : "none",
                            ]
                    )
            ),
            evenIfEmpty: false
        );

    private static void ShowHazards(PlanView plan, bool whole)
    {
        foreach (var group in plan.Hazards.GroupBy(h => (h.Severity, h.Code)).OrderBy(g => g.Key.Severity))
        {
            Terminal.Line($"\n{group.Key.Severity.Word()}  {group.Key.Code}  ({group.Count()})");
            var sentences = group
                .GroupBy(h => h.Text)
                .Select(g => g.Key + (g.Count() > 1 ? $" ({g.Count()} holdings)" : ""))
                .ToList();
            foreach (var sentence in sentences.Take(whole ? int.MaxValue : 3))
                Terminal.Line($"  {sentence}");
            if (!whole && sentences.Count > 3)
                Terminal.Line($"  and {sentences.Count - 3} more");
            Terminal.Line($"  {group.First().Remedy}");
        }
    }

    /// <summary>"12 min (at most 20 min)".</summary>
    internal static string Time(Span? span) =>
        span is null ? "" : $"{Words.Length(span.Likely)} (at most {Words.Length(span.High)})";

    private static string Learned(List<PlannedRelocation> going) =>
        going.Count(r => r.Forecast is { Learned: > 0 }) switch
        {
            0 =>
                "Times are from what such disks usually do: no relocation between such disks has ended in this fleet yet.",
            var some when some == going.Count => "Times are from what this fleet has shown.",
            var some =>
                $"Times of {Words.Count(some, "relocation")} are from what this fleet has shown, the others from "
                    + "what such disks usually do.",
        };

    private static string Next(PlanView plan) =>
        plan.ConsentsWanted switch
        {
            _ when plan.Runs.Count > 0 => $"This plan has been carried out: furlough run show {plan.Runs[^1]}",
            _ when plan.Overtaken.Count > 0 => "This plan is out of date: "
                + $"{plan.Overtaken[0]}{(plan.Overtaken.Count > 1 ? $" And {plan.Overtaken.Count - 1} more." : "")} "
                + "Next: make a new plan from the same brief.",
            [] when plan.Relocations.All(r => r.Blocked.Count > 0) => "Nothing in this plan can be relocated.",
            [] => $"Next: furlough run start --plan {plan.Number}",
            [var first, ..] => $"Wants consent: {string.Join(", ", plan.ConsentsWanted)}. Next: furlough plan consent "
                + $"{plan.Number} --hazard {first} --reason TEXT",
        };
}
