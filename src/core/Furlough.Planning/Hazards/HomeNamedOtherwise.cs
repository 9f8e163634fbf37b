using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The system's accounts are known by the names of their homes' folders, and the new one would be another.</summary>
public sealed class HomeNamedOtherwise : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "home-named-otherwise",
            Severity.Blocking,
            "The system's accounts are known by the names of their homes' folders, and the new one would be another.",
            "Let the item's path end in `{account}`."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Home is not { NamesAccount: true }
        || string.Equals(c.Place.Parts[^1], c.Account.Name, StringComparison.OrdinalIgnoreCase)
            ? null
            : c.Say(
                Entry,
                $"The home of {c.Account.Name} on {c.Machine.Name} would be `{c.Shown}`: there an account is known by the name of its home's folder."
            );
}
