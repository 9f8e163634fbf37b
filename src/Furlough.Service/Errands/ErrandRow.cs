using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Service.Errands;

/// <summary>Something that only a person can do.</summary>
public sealed class ErrandRow
{
    private ErrandState _state;

    public long Number { get; set; }
    public ErrandKind Kind { get; set; }
    public ErrandCause Cause { get; set; }

    /// <summary>Changes by <see cref="Claim"/> and <see cref="End"/> alone.</summary>
    public ErrandState State
    {
        get => _state;
        init => _state = value;
    }
    public Guid Machine { get; set; }

    /// <summary>The account that it concerns; empty for the machine as a whole.</summary>
    public required string Account { get; set; }
    public long Run { get; set; }

    /// <summary>The relocation that it was raised for.</summary>
    public long Relocation { get; set; }
    public required string Text { get; set; }
    public DateTimeOffset RaisedAt { get; set; }
    public DateTimeOffset Due { get; set; }

    /// <summary>The person or group that will do it.</summary>
    public string? ClaimedBy { get; set; }
    public DateTimeOffset? ClaimedAt { get; set; }
    public string? EndedBy { get; set; }
    public DateTimeOffset? EndedAt { get; set; }
    public string? Remark { get; set; }

    /// <summary>Refuses what can only be done with an errand that is not over.</summary>
    /// <exception cref="RefusedException"><c>errand-over</c></exception>
    public void RequireToDo()
    {
        if (!State.IsToDo())
            throw RefusedException.Conflict(
                "errand-over",
                $"Errand {Number} is {State.Word()} already{(EndedBy is { } by ? $", by {by}" : "")}.",
                "Nothing is left to do."
            );
    }

    /// <summary>Someone will do it.</summary>
    /// <exception cref="RefusedException">It is over, or another one will.</exception>
    public void Claim(string claimant, DateTimeOffset at)
    {
        RequireToDo();
        if (ClaimedBy is { } other && other != claimant)
            throw RefusedException.Conflict(
                "claimed-already",
                $"Errand {Number} was claimed by {other} at {ClaimedAt:yyyy-MM-dd HH:mm}Z.",
                "Agree with them; anyone who does it can finish it."
            );
        (_state, ClaimedBy, ClaimedAt) = (ErrandState.Claimed, claimant, at);
    }

    /// <summary>It is finished, declined or lapsed.</summary>
    /// <param name="by">Null where it settled itself.</param>
    /// <exception cref="RefusedException"><c>errand-over</c></exception>
    public void End(ErrandState how, string? by, DateTimeOffset at, string? remark)
    {
        RequireToDo();
        (_state, EndedBy, EndedAt, Remark) = (how, by, at, remark);
    }
}
