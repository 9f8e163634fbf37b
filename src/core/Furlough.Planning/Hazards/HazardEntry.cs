using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A hazard's entry in the catalogue.</summary>
/// <param name="Code">Stable, hyphenated.</param>
/// <param name="When">When it applies, a sentence.</param>
/// <param name="Remedy">What to do, a sentence.</param>
public abstract record HazardEntry(string Code, Severity Severity, string When, string Remedy);

/// <summary>A hazard of one relocation.</summary>
/// <param name="Find">What is found, or null.</param>
public sealed record RelocationHazard(
    string Code,
    Severity Severity,
    string When,
    string Remedy,
    Func<HazardContext, HazardText?> Find
) : HazardEntry(Code, Severity, When, Remedy)
{
    /// <summary>The severity for folders that are needed at sign-in, where it differs.</summary>
    public Severity? AtSignIn { get; init; }

    /// <summary>Also asked where only settings change and no data moves.</summary>
    public bool OfSettings { get; init; }

    /// <summary>Also asked where a folder's setting changes and its data stays.</summary>
    public bool OfRepointing { get; init; }

    /// <summary>The hazard for this relocation, or null.</summary>
    public Hazard? Check(HazardContext c) =>
        Find(c) is not { } found
            ? null
            : new Hazard(
                Code,
                found.Severity ?? (c.NeededAtSignIn ? AtSignIn ?? Severity : Severity),
                c.Machine.Name,
                c.Holding.Name.Account,
                c.Holding.Name.Name,
                found.Text,
                found.Remedy ?? Remedy
            );
}

/// <summary>A hazard of a whole machine.</summary>
/// <param name="Find">What is found, or null.</param>
public sealed record MachineHazard(
    string Code,
    Severity Severity,
    string When,
    string Remedy,
    Func<MachineContext, string?> Find
) : HazardEntry(Code, Severity, When, Remedy)
{
    /// <summary>The hazard for this machine, or null.</summary>
    public Hazard? Check(MachineContext c) =>
        Find(c) is { } found ? new Hazard(Code, Severity, c.Machine.Name, null, null, found, Remedy) : null;
}

/// <summary>What is found, in a sentence.</summary>
/// <param name="Remedy">Where it is another than the catalogue's.</param>
/// <param name="Severity">Where it is another than the catalogue's.</param>
public sealed record HazardText(string Text, string? Remedy = null, Severity? Severity = null)
{
    /// <summary>A sentence, with remedy and severity as in the catalogue; null for none.</summary>
    public static implicit operator HazardText?(string? text) => text is null ? null : new HazardText(text);
}
