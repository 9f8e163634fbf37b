using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The account comes from a directory, which may put settings back at sign-in.</summary>
public sealed class AccountFromDirectory : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "account-from-directory",
            Severity.Advice,
            "The account comes from a directory, which may put settings back at sign-in.",
            "Look at the rules of the directory before the run, and make an audit some days after it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        !c.Account.FromDirectory
            ? null
            : c.Say(
                Entry,
                $"{c.Account.Name} on {c.Machine.Name} comes from a directory; its rules may put settings back at sign-in."
            );
}
