using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>What is at the target is adopted.</summary>
public sealed class HoldingAlreadyThere : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "holding-already-there",
            Severity.Advice,
            "What is at the target is adopted.",
            "If it differs, the relocation stops and says where; look at what is set aside before it is discarded."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Method != Method.Adopt
            ? null
            : c.Say(
                Entry,
                c.Receipt is { } receipt
                    ? $"{c.Holding.Name} is at `{c.Shown}` on {c.Machine.Name} by a receipt of {receipt.WrittenAt:yyyy-MM-dd} and becomes live there again; nothing is copied. {(c.Holding.Files == 0 ? "" : $"The {Words.Count(c.Holding.Files, "file")} at `{c.Holding.PathShown}` are set aside and not mixed in.")}".TrimEnd()
                    : $"What is at `{c.Shown}` on {c.Machine.Name} becomes live if it equals {c.Holding.Name}; nothing is copied.",
                c.Receipt is null
                    ? "If it differs, the relocation stops and says where."
                    : "Look at what is set aside before it is discarded."
            );
}
