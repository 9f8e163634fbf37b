using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The brief wants something of a person before the relocation begins.</summary>
public sealed class PersonWanted : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "person-wanted",
            Severity.Advice,
            "The brief wants something of a person before the relocation begins.",
            "When the run has come to it, `furlough errand list` says what to do and until when; finishing the errand begins it.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        !c.Item.WaitsForPerson
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} waits for a person: {string.Join(", ", (c.Item.Attended ? [ErrandKind.BeThere] : (IEnumerable<ErrandKind>)[]).Concat(c.Item.Beforehand).Select(k => k.Word()))}."
            );
}
