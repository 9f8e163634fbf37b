using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The brief wants people told before they are kept out, and nothing can be shown on the machine.</summary>
public sealed class PeopleNotTold : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "people-not-told",
            Severity.Advice,
            "The brief wants people told before they are kept out, and the machine cannot show them anything.",
            "Tell them yourself; `furlough plan notice` writes what to say."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { CannotTell: true } || c.Relocations.All(r => r.Terms.Telling is null)
            ? null
            : c.Say(
                Entry,
                $"{c.Machine.Name} has nothing that shows notices: whoever is signed in is kept out without having been told there."
            );
}
