using Furlough.Model;
using Furlough.Service.Storage;

namespace Furlough.Service.Relocations;

/// <summary>A relocation as last reported by its machine.</summary>
public sealed class RelocationRow
{
    private RelocationState _state;
    private RelocationState _stateBefore;

    public long Number { get; set; }
    public long Run { get; set; }
    public Guid Machine { get; set; }
    public required string Wave { get; set; }
    public int Sequence { get; set; }
    public required string Account { get; set; }
    public required string Holding { get; set; }
    public required string Planned { get; set; }
    public long DataBytes { get; set; }

    /// <summary>Its plan blocked it: only another plan helps, and runs do not count it.</summary>
    public bool Blocked { get; set; }

    /// <summary>Changes by <see cref="Ask"/> and <see cref="Hear"/> alone.</summary>
    public RelocationState State
    {
        get => _state;
        init => _state = value;
    }

    /// <summary>In which state it was at rest last.</summary>
    public RelocationState StateBefore
    {
        get => _stateBefore;
        init => _stateBefore = value;
    }
    public Step? Step { get; set; }
    public Live Live { get; set; }
    public DateTimeOffset AsOf { get; set; }
    public string? Failure { get; set; }
    public string? Pointers { get; set; }
    public string? Notes { get; set; }

    /// <summary>How long the steps took, as JSON; null where they were cut short.</summary>
    public string? Times { get; set; }

    /// <summary>
    /// When, by the machine's clock, the copying of what stood again at the former place began last; null when that
    /// never came to its end.
    /// </summary>
    public DateTimeOffset? GatheredAt { get; set; }
    public Guid? Docket { get; set; }
    public int Supersession { get; set; }

    /// <summary>Who begins an attended relocation; null while nobody has.</summary>
    public string? BegunBy { get; set; }

    /// <summary>Someone asked that the docket under way be undone.</summary>
    public bool BackOutWanted { get; set; }

    /// <summary>A person or a run asks for something.</summary>
    /// <param name="failure">What is to be said of it in its new state; null for nothing.</param>
    /// <exception cref="RefusedException"><c>state-refused</c></exception>
    public void Ask(RelocationRequest request, DateTimeOffset at, Failure? failure = null)
    {
        request.Require(this);
        if (request.Becomes is not { } next)
            return;
        (_stateBefore, _state, AsOf, BackOutWanted) = (_state, next, at, false);
        Failure = failure is null ? null : Column.Write(failure, ModelJson.Default.Failure);
    }

    /// <summary>Its machine has reported.</summary>
    internal void Hear(RelocationReport report, DateTimeOffset at)
    {
        if (_state != report.Next && _state.IsAtRest())
            _stateBefore = _state;
        (_state, AsOf) = (report.Next, at);
        if (_state.IsAtRest())
            BackOutWanted = false;
    }
}
