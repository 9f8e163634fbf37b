using Furlough.Protocol.Api;

namespace Furlough.Service.Runs;

/// <summary>A run.</summary>
public sealed class RunRow
{
    private RunState _state;

    public long Number { get; set; }
    public long Plan { get; set; }
    public required string Title { get; set; }

    /// <summary>Changes by <see cref="Ask"/> alone.</summary>
    public RunState State
    {
        get => _state;
        init => _state = value;
    }
    public required string StartedBy { get; set; }
    public DateTimeOffset StartedAt { get; set; }
    public DateTimeOffset? EndedAt { get; set; }
    public TimeSpan Keep { get; set; }
    public int? HaltAfter { get; set; }
    public required string Waves { get; set; }
    public int Wave { get; set; }

    /// <summary>How many machines, and how many of a room, are worked on at once; null for all.</summary>
    public int? MostMachines { get; set; }
    public int? MostPerRoom { get; set; }
    public int? MostPerVolume { get; set; }

    /// <summary>The second person who approved it; null where nobody has, or nobody need.</summary>
    public string? ApprovedBy { get; set; }

    /// <summary>A person or the service itself changes what it does.</summary>
    /// <exception cref="RefusedException"><c>run-state-refused</c></exception>
    public void Ask(RunChange change)
    {
        change.Require(this, null);
        _state = change.Becomes;
    }
}
