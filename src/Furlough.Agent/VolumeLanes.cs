using Furlough.Agent.Journal;
using Furlough.Model;

namespace Furlough.Agent;

/// <summary>How many relocations may read and write one volume at the same time: two on a built-in solid-state disk; one on every other, where they would make each other slower.</summary>
internal sealed class VolumeLanes(AgentStore store)
{
    private const string Setting = "quick-volumes";

    private volatile HashSet<string> _quick = Read(store);

    /// <summary>How many on a volume, by its identity. One until a survey has seen it.</summary>
    internal int Of(string volume) => _quick.Contains(volume) ? 2 : 1;

    /// <summary>Takes over what a survey found.</summary>
    internal void Learn(Survey survey)
    {
        var quick = survey
            .Volumes.Where(v => v is { Attached: Attachment.Internal, Medium: Medium.Solid or Medium.Memory })
            .Select(v => v.Identity.Key)
            .ToHashSet(StringComparer.Ordinal);
        if (quick.SetEquals(_quick))
            return;
        store.SetSetting(Setting, string.Join('\n', quick));
        _quick = quick;
    }

    private static HashSet<string> Read(AgentStore store) =>
        (store.Setting(Setting) ?? "").Split('\n').ToHashSet(StringComparer.Ordinal);
}
