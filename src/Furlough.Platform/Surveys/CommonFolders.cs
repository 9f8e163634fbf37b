using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Surveys;

/// <summary>Whose files lie in folders that should be empty.</summary>
internal static class CommonFolders
{
    /// <summary>What lies below a folder, by owner; folders alone are nothing.</summary>
    internal static IReadOnlyList<LeftFiles> Left(IFolder folder, Func<uint, string> nameOf, CancellationToken stop)
    {
        Dictionary<uint, (long Files, long DataBytes, long LastChangeNs)> owners = [];
        Walk.Visit(
            folder,
            (_, _, _, facts) =>
            {
                if (facts.Kind == NodeKind.Folder)
                    return;
                var (files, bytes, last) = owners.GetValueOrDefault(facts.Owner);
                owners[facts.Owner] = (
                    files + 1,
                    bytes + Math.Min(facts.SizeBytes, facts.AllocatedBytes),
                    Math.Max(last, facts.ModifiedNs)
                );
            },
            stop
        );
        return
        [
            .. owners
                .Select(o => new LeftFiles(
                    nameOf(o.Key),
                    o.Value.Files,
                    o.Value.DataBytes,
                    DateTimeOffset.UnixEpoch.AddTicks(o.Value.LastChangeNs / 100)
                ))
                .OrderBy(l => l.Account, StringComparer.Ordinal),
        ];
    }
}
