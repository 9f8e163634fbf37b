using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A setting wants the folder around the data, and the program adds a name that the target does not end in.</summary>
public sealed class PointerShapeWrong : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "pointer-shape",
            Severity.Blocking,
            "A setting wants the folder around the data, and the program adds a name that the target does not end in; or it wants a volume alone.",
            "End the path with the name that the program adds.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Pointers.FirstOrDefault(p =>
            p.Address.Adds is { } adds && (p.Address.NamesVolume ? c.Place.Path : c.Place.Parts[^1]) != adds
        )
            is not { } pointer
            ? null
        : pointer.Address.NamesVolume
            ? c.Say(
                Entry,
                $"The setting for {c.Holding.Name} on {c.Machine.Name} names a volume alone; what is there goes into `{c.Survey.Show(c.Place with { Path = pointer.Address.Adds! })}`.",
                $"Let the path be `{pointer.Address.Adds}`."
            )
        : c.Say(
            Entry,
            $"The program adds `{pointer.Address.Adds}` to its setting for {c.Holding.Name} on {c.Machine.Name}, so it would look for it in `{c.Survey.Show(c.Place with { Path = $"{c.Place.Path}/{pointer.Address.Adds}" })}`.",
            $"End the path with `/{pointer.Address.Adds}`."
        );
}
