using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The brief says that somebody is at the machine when the relocation begins.</summary>
public sealed class PersonWanted : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("person-wanted", Severity.Advice, "The brief says that somebody is at the machine when the relocation begins.", "It is begun there with `furlough relocation begin NUMBER`.", OfSettings: true);

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => !c.Item.Attended ? null
        : c.Say(Entry, $"{c.Holding.Name} on {c.Machine.Name} waits until somebody at the machine begins it.");
}
