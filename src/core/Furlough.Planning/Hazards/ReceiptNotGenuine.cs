using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A receipt for this holding was found whose signature is by nobody the service knows.</summary>
public sealed class ReceiptNotGenuine : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "receipt-not-genuine",
            Severity.Advice,
            "A receipt for this holding was found whose signature is by nobody the service knows.",
            "Look at that folder: it may come from another service's machine, or somebody made the receipt up. It is not adopted."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Receipt is not null
        || c.Survey.Receipts.FirstOrDefault(r => !r.Genuine && r.Holding == c.Holding.Name) is not { } receipt
            ? null
            : c.Say(
                Entry,
                $"A receipt beside `{c.Survey.Show(receipt.Target)}` on {c.Machine.Name} says that {c.Holding.Name} lived there, but no machine known here signed it."
            );
}
