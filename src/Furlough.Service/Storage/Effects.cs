namespace Furlough.Service.Storage;

/// <summary>
/// What follows from a unit of work once it is durable. Nothing of it happens when the unit is refused, and a unit that
/// is run again begins with none.
/// </summary>
public sealed class Effects
{
    private readonly HashSet<Guid> _woken = [];
    private readonly HashSet<Guid> _touched = [];
    private readonly HashSet<Guid> _sessions = [];
    private readonly HashSet<long> _rested = [];
    private readonly List<Hint> _said = [];
    private readonly List<HistoryRow> _recorded = [];
    private bool _kinds;

    /// <summary>What was added to the history; it is logged when it is durable.</summary>
    internal IReadOnlyList<HistoryRow> Recorded => _recorded;

    internal void Log(HistoryRow entry) => _recorded.Add(entry);

    /// <summary>Something waits for these machines.</summary>
    public void Wake(params IEnumerable<Guid> machines) => _woken.UnionWith(machines);

    /// <summary>Consoles hear that something changed.</summary>
    /// <param name="kind">"run", "relocation", "machine" and so on.</param>
    /// <param name="subject">Its number or identity.</param>
    public void Say(string kind, object subject)
    {
        var hint = new Hint(kind, Convert.ToString(subject, System.Globalization.CultureInfo.InvariantCulture)!);
        if (!_said.Contains(hint))
            _said.Add(hint);
    }

    /// <summary>A machine's session began or ended.</summary>
    public void ChangeSession(Guid machine) => _sessions.Add(machine);

    /// <summary>A relocation came to rest: its progress is over.</summary>
    public void Rest(long relocation) => _rested.Add(relocation);

    /// <summary>Kind cards changed, which is every machine's matter.</summary>
    public void ChangeKinds() => _kinds = true;

    /// <summary>Something was stored about a machine, its relocations or its originals.</summary>
    internal void Touch(Guid machine) => _touched.Add(machine);

    /// <summary>What follows from several units that were stored together.</summary>
    internal static OutboxEntry Together(IReadOnlyCollection<Effects> all) =>
        new(
            [.. all.SelectMany(e => e._woken).Distinct()],
            [.. all.SelectMany(e => e._touched).Distinct()],
            [.. all.SelectMany(e => e._sessions).Distinct()],
            [.. all.SelectMany(e => e._rested).Distinct()],
            [.. all.SelectMany(e => e._said).Distinct()],
            all.Any(e => e._kinds)
        );
}
