using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>Accounts of a stand-in; it is never reinstalled, so its numbers stay.</summary>
internal sealed class StationAccounts(StationMachine machine) : IAccounts
{
    public IReadOnlyList<NumberedName> Names() =>
        [.. machine.Spec.Accounts.Select(a => new NumberedName(a.Id, a.Name, false))];

    public void Give(IFolder folder, string account, string accountId)
    {
        var owner = machine.Spec.Accounts.First(a => a.Name == account).Id;
        folder.Apply(folder.Facts() with { Owner = owner, Group = owner, Mode = Layout.Closed }, Attributes.None);
    }

    public IReadOnlySet<string> WhoReaches(IReadOnlyList<(NodeFacts Facts, Attributes Attributes)> folders) =>
        machine
            .Spec.Accounts.Where(a => folders.All(f => (f.Facts.Mode & (f.Facts.Owner == a.Id ? 0x40 : 1)) != 0))
            .Select(a => a.Name)
            .ToHashSet();

    public Attributes Renumbered(Attributes attributes, Func<uint, bool, uint> renumber) => attributes;
}
