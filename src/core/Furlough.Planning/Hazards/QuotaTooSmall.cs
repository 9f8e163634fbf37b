using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The account may not store as much on the target's volume.</summary>
public sealed class QuotaTooSmall : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "quota-too-small",
            Severity.Consent,
            "On the target's volume the account may store less than it would have there: nothing further could be saved.",
            "Raise the account's quota on that volume, choose another volume, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (
            c.Target is not { } target
            || c.Source == target
            || c.Account.Quotas.FirstOrDefault(q => q.Volume == target.Identity.Key) is not { } quota
        )
            return null;
        var after =
            quota.UsedBytes
            + c.NeededBytes
            + c.Before.Where(r =>
                    r.Blocked.Count == 0
                    && r.Holding.Account == c.Account.Name
                    && r.Target.Volume == quota.Volume
                    && r.Source.Volume != quota.Volume
                )
                .Sum(r => r.DataBytes);
        return after <= quota.LimitBytes
            ? null
            : c.Say(
                Entry,
                $"With {c.Holding.Name}, {c.Account.Name} would store {Words.Size(after)} on `{target.Root}` of {c.Machine.Name} and may store {Words.Size(quota.LimitBytes)} there."
            );
    }
}
