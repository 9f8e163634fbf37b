using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The path of a holding wants something of its account that the brief does not say.</summary>
public sealed class NameIncomplete : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "name-incomplete",
            Severity.Blocking,
            "The path of a holding wants something of its account that the brief does not say.",
            "Say it under `people` in the brief and make a new plan.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Brief.PersonalNames.Where(n => c.Place.Path.Contains("{" + n + "}", StringComparison.Ordinal)).ToList()
            is not { Count: > 0 } missing
            ? null
            : c.Say(
                Entry,
                $"The path for {c.Holding.Name} on {c.Machine.Name} wants {string.Join(" and ", missing.Select(n => "{" + n + "}"))}, and the brief does not say that of {(c.Holding.Name.IsShared ? "what all accounts share" : c.Account.Name)}."
            );
}
