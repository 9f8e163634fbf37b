using Furlough.Model;

namespace Furlough.Planning.Kinds;

/// <summary>The kind cards that come with the product.</summary>
public static class BuiltInKinds
{
    private const string Prefix = "kind/";

    private static readonly Lazy<IReadOnlyList<(KindCard Card, string Text)>> Read = new(() =>
        [
            .. typeof(BuiltInKinds)
                .Assembly.GetManifestResourceNames()
                .Where(n => n.StartsWith(Prefix, StringComparison.Ordinal))
                .Select(KindCardReader.Embedded)
                .Select(t => (Card: KindCardReader.Read(t), Text: t))
                .OrderBy(k => k.Card.Name, StringComparer.Ordinal),
        ]
    );

    /// <summary>The cards with their texts, by name.</summary>
    public static IReadOnlyList<(KindCard Card, string Text)> All => Read.Value;
}
