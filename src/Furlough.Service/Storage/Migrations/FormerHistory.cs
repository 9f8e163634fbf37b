namespace Furlough.Service.Storage.Migrations;

/// <summary>
/// Turns the words in which former versions wrote their history into typed events. What is not among them is kept word
/// for word as the detail of an entry that says "noted".
/// </summary>
internal static class FormerHistory
{
    private sealed record Former(string Action, string Event, string About, bool ToIsDetail = false);

    private static readonly Former[] Known =
    [
        new("plan made", "PlanMade", "Plan", true),
        new("consent given", "ConsentGiven", "Plan", true),
        new("run proposed", "RunProposed", "Run", true),
        new("run started", "RunStarted", "Run", true),
        new("run approved", "RunApproved", "Run"),
        new("run paused", "RunPaused", "Run"),
        new("run resumed", "RunResumed", "Run"),
        new("run halted", "RunHalted", "Run", true),
        new("run ended", "RunEnded", "Run"),
        new("wave begun", "WaveBegun", "Run", true),
        new("out of sequence", "StateChanged", "Relocation"),
        new("taken over", "TakenOver", "Relocation", true),
        new("retry", "Retry", "Relocation"),
        new("skip", "Skip", "Relocation"),
        new("begin", "Begin", "Relocation"),
        new("back out", "BackOut", "Relocation"),
        new("return", "Return", "Relocation"),
        new("fall back", "FallBack", "Relocation"),
        new("gather", "Gather", "Relocation"),
        new("discard", "Discard", "Relocation"),
        new("loss accepted", "LossAccepted", "Relocation", true),
        new("discard decided", "DiscardDecided", "Relocation", true),
        new("errand raised", "ErrandRaised", "Errand", true),
        new("errand lapsed", "ErrandLapsed", "Errand"),
        new("audit made", "AuditMade", "Audit", true),
        new("unknown docket reported", "UnknownDocketReported", "Docket", true),
        new("account kept out", "AccountLockedOut", "Account", true),
        new("account locked out", "AccountLockedOut", "Account", true),
        new("enrolled", "Enrolled", "Machine", true),
        new("enrolled again", "EnrolledAgain", "Machine", true),
        new("same machine id", "SameMachineId", "Machine", true),
        new("suspected clone", "SuspectedClone", "Machine"),
        new("knows more than the service", "KnowsMoreThanTheService", "Machine"),
        new("machine held", "MachineHeld", "Machine"),
        new("machine released", "MachineReleased", "Machine"),
        new("machine forgotten", "MachineForgotten", "Machine", true),
        new("role", "MachineTagged", "Machine"),
        new("tag", "MachineTagged", "Machine"),
        new("drill begun", "DrillBegun", "Machine", true),
        new("drill passed", "DrillPassed", "Machine"),
        new("drill failed", "DrillFailed", "Machine"),
        new("invite made", "InviteMade", "Invite", true),
        new("invite revoked", "InviteRevoked", "Invite", true),
        new("first token made", "TokenMade", "Token"),
        new("token made", "TokenMade", "Token", true),
        new("token replaced", "TokenReplaced", "Token", true),
        new("token revoked", "TokenRevoked", "Token"),
        new("receiver added", "ReceiverAdded", "Receiver", true),
        new("receiver removed", "ReceiverRemoved", "Receiver"),
        new("kind card added", "KindCardAdded", "KindCard", true),
        new("kind card tried", "KindCardTried", "KindCard", true),
        new("kind card removed", "KindCardRemoved", "KindCard"),
        new("reserve", "ReserveSet", "Room"),
    ];

    private static readonly string[] Numbered = ["Plan", "Run", "Relocation", "Errand", "Audit"];

    internal static IEnumerable<string> ToEvents()
    {
        // "78 Documents of ada"
        yield return """
            UPDATE History SET Action = 'StateChanged', About = 'Relocation', SubjectNumber = CAST(SubjectName AS INTEGER),
                Detail = substr(SubjectName, instr(SubjectName, ' ') + 1), SubjectName = ''
            WHERE Action = 'relocation' AND SubjectName GLOB '[0-9]* *'
            """;
        // "finished: it was restarted"
        yield return """
            UPDATE History SET About = 'Errand',
                Action = CASE WHEN "To" LIKE 'claimed%' THEN 'ErrandClaimed' WHEN "To" LIKE 'declined%' THEN 'ErrandDeclined' ELSE 'ErrandFinished' END,
                Detail = CASE WHEN instr("To", ': ') > 0 THEN substr("To", instr("To", ': ') + 2) END,
                "To" = CASE WHEN instr("To", ': ') > 0 THEN substr("To", 1, instr("To", ': ') - 1) ELSE "To" END
            WHERE Action = 'errand' AND SubjectName LIKE 'errand %'
            """;
        yield return """
            UPDATE History SET Detail = "From" || CASE WHEN "To" IS NULL THEN '' ELSE ': ' || "To" END, "From" = NULL, "To" = NULL
            WHERE Action IN ('drill passed', 'drill failed')
            """;
        foreach (var former in Known)
        {
            var detail = former.ToIsDetail ? ", Detail = \"To\", \"To\" = NULL" : "";
            yield return $"UPDATE History SET Action = '{former.Event}', About = '{former.About}'{detail} WHERE Action = '{former.Action}' AND About = ''";
        }
        foreach (var kind in Numbered)
        {
            var start = kind.Length + 2;
            yield return $"UPDATE History SET SubjectNumber = CAST(substr(SubjectName, {start}) AS INTEGER), SubjectName = '' WHERE About = '{kind}' AND SubjectName LIKE '{kind} %'";
        }
        yield return "UPDATE History SET About = 'Fleet', SubjectName = '' WHERE Action = 'ReserveSet' AND SubjectName = 'all machines'";
        yield return "UPDATE History SET SubjectName = '' WHERE About = 'Invite' AND SubjectName = 'any room'";
        yield return """
            UPDATE History SET About = 'Other', Detail = Action, Action = 'Noted' WHERE About = ''
            """;
    }
}
