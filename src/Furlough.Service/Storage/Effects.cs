namespace Furlough.Service.Storage;

/// <summary>
/// What follows from a unit of work once it is durable. Nothing of it happens when the unit is refused, and a unit that
/// is run again begins with none.
/// </summary>
public sealed class Effects
{
    private readonly HashSet<Guid> _woken = [];
    private readonly HashSet<Guid> _touched = [];
    private readonly List<(string Kind, object Subject)> _said = [];
    private readonly List<Action> _afterwards = [];

    /// <summary>Machines for whose agents something waits.</summary>
    public IReadOnlyCollection<Guid> Woken => _woken;

    /// <summary>Machines about which something was stored.</summary>
    public IReadOnlyCollection<Guid> Touched => _touched;

    /// <summary>What consoles are told.</summary>
    public IReadOnlyList<(string Kind, object Subject)> Said => _said;

    /// <summary>What the process itself remembers.</summary>
    public IReadOnlyList<Action> Afterwards => _afterwards;

    /// <summary>Something waits for these machines.</summary>
    public void Wake(params IEnumerable<Guid> machines) => _woken.UnionWith(machines);

    /// <summary>Consoles are told that something changed.</summary>
    /// <param name="kind">"run", "relocation", "machine" and so on.</param>
    /// <param name="subject">Its number or identity.</param>
    public void Say(string kind, object subject)
    {
        if (!_said.Contains((kind, subject)))
            _said.Add((kind, subject));
    }

    /// <summary>What this process remembers besides storage changes with it.</summary>
    public void Then(Action change) => _afterwards.Add(change);

    internal void Touch(Guid machine) => _touched.Add(machine);
}
