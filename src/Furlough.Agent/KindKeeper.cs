using System.Text.Json;
using Furlough.Agent.Journal;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>Keeps the kind cards that the service signed, for surveys with and without a connection.</summary>
internal sealed class KindKeeper(ServiceLink link, AgentStore store, Action<string> log)
{
    private const string TagKey = "kinds-tag",
        CardsKey = "kinds";

    /// <summary>Which cards these are.</summary>
    internal string Tag => store.Setting(TagKey) ?? "";

    /// <summary>The cards.</summary>
    internal IReadOnlyList<KindCard> Cards => store.Setting(CardsKey) is { } kept ? Open(kept) : [];

    /// <summary>Takes other cards; false when nobody signed them who may.</summary>
    internal bool Take(SignedKinds kinds)
    {
        try
        {
            log($"{Words.Count(Open(kinds.Cards).Count, "kind card")} taken in");
        }
        catch (SignatureException refused)
        {
            log($"kind cards not accepted: {refused.Message}");
            return false;
        }
        store.SetSetting(CardsKey, kinds.Cards);
        store.SetSetting(TagKey, kinds.Tag);
        return true;
    }

    private IReadOnlyList<KindCard> Open(string signed) =>
        JsonSerializer.Deserialize(
            Jws.Verify(link.ServiceKey, MessageType.Kinds, signed),
            ModelJson.Default.IReadOnlyListKindCard
        )!;
}
