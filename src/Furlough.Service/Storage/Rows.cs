using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Service.Storage;

/// <summary>An enrolled machine.</summary>
public sealed class MachineRow
{
    public Guid Id { get; set; }
    public required string Name { get; set; }
    public required string Room { get; set; }

    /// <summary>What the machine is for, in a technician's word; null where nobody has said.</summary>
    public string? Tag { get; set; }
    public required string PublicKey { get; set; }

    /// <summary>Keys of its agent before it was enrolled again, by lines: what they signed is still known.</summary>
    public string FormerKeys { get; set; } = "";
    public required string MachineId { get; set; }
    public DateTimeOffset EnrolledAt { get; set; }
    public DateTimeOffset? LastSeen { get; set; }
    public DateTimeOffset? SurveyedAt { get; set; }

    /// <summary>A survey has been asked for and none has come that was begun since.</summary>
    public bool SurveyWanted { get; set; }

    /// <summary>The number of the last request for a survey.</summary>
    public long SurveyRequest { get; set; }

    /// <summary>Asks for a survey that is begun from now on.</summary>
    public void AskForSurvey() => (SurveyWanted, SurveyRequest) = (true, SurveyRequest + 1);

    public long LastBulletin { get; set; }

    /// <summary>
    /// Where it was found to know more than the service: the bulletin up to which it tells what it did.
    /// </summary>
    public long AwaitedBulletin { get; set; }

    /// <summary>And the docket after which it hands in all that it has; null where it has done so.</summary>
    public long? UnknownAfter { get; set; }

    /// <summary>It knows what the service does not, and has not told all of it: it gets no docket before.</summary>
    public bool HasToReport => UnknownAfter is not null || LastBulletin < AwaitedBulletin;
    public long LastDocket { get; set; }

    /// <summary>
    /// The highest supersession counter that its agent had when the service was found to be behind it; 0 where it never
    /// was.
    /// </summary>
    public int SupersessionFloor { get; set; }
    public bool Suspect { get; set; }

    /// <summary>Who holds it, since when and why; null for nobody.</summary>
    public string? HeldBy { get; set; }
    public DateTimeOffset? HeldAt { get; set; }
    public string? HeldReason { get; set; }

    /// <summary>
    /// What is to be left free, in bytes by volume, as JSON: by its room or the fleet, or else by its last run.
    /// </summary>
    public string? Reserves { get; set; }

    /// <summary>The reserves are its room's or the fleet's.</summary>
    public bool ReservesSaid { get; set; }
    public bool Drifted { get; set; }

    /// <summary>Accounts that Furlough has left locked out, by lines: told already.</summary>
    public string LeftOut { get; set; } = "";

    /// <summary>Keys of the volumes with which the last drill has passed, by lines.</summary>
    public string Drilled { get; set; } = "";

    /// <summary>How its volumes fill up, by volume, as JSON; and when that was worked out.</summary>
    public string? Growth { get; set; }
    public DateTimeOffset? GrowthAt { get; set; }
}

/// <summary>A machine's latest survey.</summary>
public sealed class SurveyRow
{
    public Guid Machine { get; set; }
    public required string Body { get; set; }
}

/// <summary>What a volume held at a time; thinned with age.</summary>
public sealed class SpaceRow
{
    public Guid Machine { get; set; }
    public required string Volume { get; set; }
    public DateTimeOffset At { get; set; }
    public long UsedBytes { get; set; }
}

/// <summary>Furlough itself changed what a machine's volumes hold, which says nothing about how they fill up.</summary>
public sealed class SpaceBreakRow
{
    public Guid Machine { get; set; }
    public DateTimeOffset At { get; set; }
}

/// <summary>A relocation that was carried out in one go, as forecasts learn from it.</summary>
public sealed class CarriedRow
{
    public long Relocation { get; set; }
    public Guid Machine { get; set; }
    public required string Room { get; set; }
    public Medium FromMedium { get; set; }
    public Attachment FromAttached { get; set; }
    public Medium ToMedium { get; set; }
    public Attachment ToAttached { get; set; }
    public long DataBytes { get; set; }
    public long Files { get; set; }
    public double MovingSeconds { get; set; }
    public double RestSeconds { get; set; }
}

/// <summary>An invite; the secret itself is not kept.</summary>
public sealed class InviteRow
{
    public Guid Id { get; set; }
    public required string Hash { get; set; }
    public string? Room { get; set; }

    /// <summary>Rules for rooms by machines' names, as JSON; null for none.</summary>
    public string? Rules { get; set; }

    /// <summary>The machine that may use it to enrol again after it was reinstalled; null for new machines.</summary>
    public string? Again { get; set; }
    public int Left { get; set; }
    public DateTimeOffset Expires { get; set; }
    public string MadeBy { get; set; } = "";
}

/// <summary>A token; the token itself is not kept.</summary>
public sealed class TokenRow
{
    public Guid Id { get; set; }
    public required string Name { get; set; }
    public required string Hash { get; set; }
    public AccessLevel Level { get; set; }
    public DateTimeOffset? Expires { get; set; }

    /// <summary>Null for the first steward's.</summary>
    public string? MadeBy { get; set; }
    public DateTimeOffset? MadeAt { get; set; }
    public DateTimeOffset? RevokedAt { get; set; }

    /// <summary>Of whom it is at the office's provider; null for a token that a steward made.</summary>
    public string? Subject { get; set; }

    /// <summary>With what the provider is asked again, sealed; null where it gave nothing for that.</summary>
    public string? Refresh { get; set; }

    /// <summary>When the provider was last asked.</summary>
    public DateTimeOffset? CheckedAt { get; set; }

    /// <summary>It opens the service at a moment.</summary>
    public bool IsValid(DateTimeOffset now) => RevokedAt is null && !(Expires < now);
}

/// <summary>A console session from which someone signed out.</summary>
public sealed class EndedSessionRow
{
    public Guid Id { get; set; }
    public DateTimeOffset At { get; set; }
}

/// <summary>An agent's session; the token itself is not kept.</summary>
public sealed class AgentSessionRow
{
    public Guid Machine { get; set; }

    /// <summary>Hash of its token; null where the session has ended.</summary>
    public string? Token { get; set; }

    /// <summary>The starts of the machine's agent that opened a session last, by lines, the present one at the end.</summary>
    public string Starts { get; set; } = "";
}

/// <summary>A challenge that a machine has answered: it is not taken again.</summary>
public sealed class AnsweredChallengeRow
{
    /// <summary>Its hash.</summary>
    public required string Challenge { get; set; }
    public DateTimeOffset Until { get; set; }
}

/// <summary>A kind card.</summary>
public sealed class KindRow
{
    public required string Name { get; set; }
    public required string Card { get; set; }

    /// <summary>Name patterns of the machines that it is for, by lines; empty for all.</summary>
    public string On { get; set; } = "";
    public required string AddedBy { get; set; }
    public DateTimeOffset AddedAt { get; set; }
}

/// <summary>A plan; never changed.</summary>
public sealed class PlanRow
{
    public long Number { get; set; }
    public required string Digest { get; set; }
    public DateTimeOffset MadeAt { get; set; }
    public required string MadeBy { get; set; }
    public required string Body { get; set; }

    /// <summary>What lists say of it, so that they need not read its body.</summary>
    public required string Title { get; set; }
    public int Machines { get; set; }

    /// <summary>Relocations that would be carried out, and their bytes.</summary>
    public int Relocations { get; set; }
    public long DataBytes { get; set; }

    /// <summary>Relocations that are blocked.</summary>
    public int Blocked { get; set; }

    /// <summary>Codes of the hazards that somebody must accept, as a JSON list.</summary>
    public required string Asks { get; set; }
}

/// <summary>An accepted hazard, tied to a plan's digest.</summary>
public sealed class ConsentRow
{
    public Guid Id { get; set; }
    public long Plan { get; set; }
    public required string Digest { get; set; }
    public required string Hazard { get; set; }
    public required string Reason { get; set; }
    public required string By { get; set; }
    public DateTimeOffset At { get; set; }
}

/// <summary>
/// What people try at a machine, step by step, with a volume on which someone's home is to live: can the machine be
/// worked on without it, and is everything well when it is back.
/// </summary>
public sealed class DrillRow
{
    public long Number { get; set; }
    public Guid Machine { get; set; }

    /// <summary>Key of the volume, and where it was mounted.</summary>
    public required string Volume { get; set; }
    public required string Root { get; set; }

    /// <summary>Who signs in at the end.</summary>
    public required string Account { get; set; }
    public required string AskedBy { get; set; }
    public DateTimeOffset AskedAt { get; set; }

    /// <summary>How many steps were raised.</summary>
    public int Steps { get; set; }

    /// <summary>The errand of the last one.</summary>
    public long Errand { get; set; }
    public DateTimeOffset? EndedAt { get; set; }

    /// <summary>Why it did not pass; null when it did, or has not ended.</summary>
    public string? Failed { get; set; }
}

/// <summary>A docket as issued.</summary>
public sealed class DocketRow
{
    public Guid Id { get; set; }
    public Guid Machine { get; set; }
    public long Number { get; set; }
    public long Relocation { get; set; }
    public DocketWork Work { get; set; }
    public required string Body { get; set; }
    public required string Signed { get; set; }
    public DateTimeOffset IssuedAt { get; set; }

    /// <summary>When it was first handed to its machine, which may have it since; null while it cannot.</summary>
    public DateTimeOffset? HandedAt { get; set; }

    /// <summary>Called back: it is handed out no more and gets no permit.</summary>
    public bool Withdrawn { get; set; }

    /// <summary>The state with which its machine reported its end; null while it has not.</summary>
    public RelocationState? EndedAs { get; set; }

    /// <summary>A report on it was refused, and that was told.</summary>
    public bool HasRefusedReport { get; set; }

    /// <summary>Asked for separately (return, retry, discard): a halted run does not stop it.</summary>
    public bool ByItself { get; set; }

    /// <summary>Of the call that led to it.</summary>
    public string? Correlation { get; set; }
}

/// <summary>A bulletin as handed in.</summary>
public sealed class BulletinRow
{
    public Guid Machine { get; set; }
    public long Number { get; set; }
    public long Relocation { get; set; }
    public required string Body { get; set; }
}

/// <summary>What is to be left free on the machines of a room, or (no room) on all others.</summary>
public sealed class ReserveRow
{
    public required string Room { get; set; }
    public required string System { get; set; }
    public required string Others { get; set; }
    public required string SaidBy { get; set; }
}

/// <summary>An original that waits on its machine.</summary>
public sealed class OriginalRow
{
    /// <summary>Never used again; people see it as "o371".</summary>
    public long Number { get; set; }
    public Guid Docket { get; set; }
    public Guid Machine { get; set; }
    public long Relocation { get; set; }
    public required string Body { get; set; }
    public DateTimeOffset KeptUntil { get; set; }
}

/// <summary>An audit.</summary>
public sealed class AuditRow
{
    public long Number { get; set; }
    public DateTimeOffset MadeAt { get; set; }
    public required string MadeBy { get; set; }
    public int Machines { get; set; }
    public required string Findings { get; set; }

    /// <summary>How many findings it has, and how many of them are blocking.</summary>
    public int FindingCount { get; set; }
    public int BlockingCount { get; set; }

    /// <summary>On what it rests, as JSON; null for audits made before that was kept.</summary>
    public string? Basis { get; set; }
}

/// <summary>A line of the history.</summary>
public sealed class HistoryRow
{
    public long Number { get; set; }
    public DateTimeOffset At { get; set; }
    public required string By { get; set; }
    public HistoryEvent Event { get; set; }
    public SubjectKind About { get; set; }
    public long? SubjectNumber { get; set; }

    /// <summary>Empty where the number says it.</summary>
    public string SubjectName { get; set; } = "";
    public string? From { get; set; }
    public string? To { get; set; }
    public string? Detail { get; set; }

    /// <summary>Of the call that led to it.</summary>
    public string? Correlation { get; set; }

    /// <summary>What it is about.</summary>
    public HistorySubject Subject => new(About, SubjectNumber, SubjectName);
}

/// <summary>Someone who is notified of events.</summary>
public sealed class ReceiverRow
{
    public Guid Id { get; set; }
    public required string Name { get; set; }
    public string? Mail { get; set; }
    public string? Call { get; set; }

    /// <summary>The events as words, by lines; empty for all.</summary>
    public required string On { get; set; }

    /// <summary>With which calls are signed; sealed.</summary>
    public required string Secret { get; set; }
    public required string AddedBy { get; set; }
    public DateTimeOffset AddedAt { get; set; }

    /// <summary>The last entry of the history that was looked at for it.</summary>
    public long Seen { get; set; }
}

/// <summary>A notification for one receiver: one for every event, whatever happens.</summary>
public sealed class NotificationRow
{
    public Guid Receiver { get; set; }

    /// <summary>The entry of the history that it tells of.</summary>
    public long Entry { get; set; }
    public NotificationEvent Event { get; set; }
    public required string Subject { get; set; }
    public required string Text { get; set; }
    public DateTimeOffset At { get; set; }
    public NotificationState State { get; set; }
    public int Attempts { get; set; }
    public DateTimeOffset NextAt { get; set; }
    public string? Why { get; set; }
}

/// <summary>What instances of the service tell each other.</summary>
public sealed class OutboxRow
{
    public long Number { get; set; }

    /// <summary>Who tells it.</summary>
    public Guid Instance { get; set; }
    public required string Body { get; set; }
}

/// <summary>Numbers that are given one after the other.</summary>
public sealed class CounterRow
{
    public required string Name { get; set; }
    public long Last { get; set; }
}

/// <summary>Which instance of the service does a work, until when by the database's clock.</summary>
public sealed class LeaseRow
{
    public required string Work { get; set; }
    public Guid Holder { get; set; }
    public long Epoch { get; set; }
    public DateTimeOffset Until { get; set; }
}
