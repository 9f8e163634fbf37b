using System.Buffers.Binary;
using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>Names behind the numbers of a Linux system, and the numbers inside its access lists.</summary>
internal sealed class LinuxAccounts(LinuxVolumes volumes) : IAccounts
{
    private const int HeaderBytes = 4,
        EntryBytes = 8;
    private const ushort NamedUser = 2,
        OwningGroup = 4,
        NamedGroup = 8,
        Mask = 16;
    private const uint Pass = 1,
        List = 4;
    private const string AccessList = "system.posix_acl_access";

    public IReadOnlyList<NumberedName> Names() =>
        [
            .. Passwd.People(volumes.Root).DistinctBy(p => p.Name).Select(p => new NumberedName(p.User, p.Name, false)),
            .. Passwd
                .OwnGroups(volumes.Root)
                .DistinctBy(g => g.Name)
                .Select(g => new NumberedName(g.Number, g.Name, true)),
        ];

    public void Give(IFolder folder, string account, string accountId)
    {
        if (!uint.TryParse(accountId, NumberStyles.None, CultureInfo.InvariantCulture, out var owner))
            return;
        folder.Apply(
            folder.Facts() with
            {
                Owner = owner,
                Group = Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == account)?.Group ?? owner,
                Mode = Layout.Closed,
            },
            Attributes.None
        );
    }

    public IDisposable As(string account, string accountId) =>
        uint.TryParse(accountId, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? AccountRights.Take(volumes, number, account)
            : throw Missing(account);

    private static Fault Missing(string account) =>
        new(FaultKinds.AccountMissing, $"There is no account {account} on this machine any more.", "");

    public IReadOnlySet<string> WhoReaches(IReadOnlyList<(NodeFacts Facts, Attributes Attributes)> folders)
    {
        var people = Passwd.People(volumes.Root);
        var members = Passwd.Groups(volumes.Root).ToLookup(g => g.Number, g => g.Members);
        var reaching = people
            .Where(p => Reaches(p.User, group => p.Group == group || members[group].Any(m => m.Contains(p.Name))))
            .Select(p => p.Name)
            .ToHashSet(StringComparer.Ordinal);
        if (Reaches(uint.MaxValue, _ => false))
            reaching.Add(IAccounts.Others);
        return reaching;

        bool Reaches(uint user, Predicate<uint> isIn) =>
            Enumerable
                .Range(0, folders.Count)
                .All(i =>
                    May(
                        folders[i].Facts,
                        folders[i].Attributes,
                        i == folders.Count - 1 ? Pass | List : Pass,
                        user,
                        isIn
                    )
                );
    }

    /// <summary>
    /// The check that the system itself makes: owner, else named account, else any group that fits, else others; access
    /// lists are cut by their mask.
    /// </summary>
    private static bool May(NodeFacts facts, Attributes attributes, uint wanted, uint user, Predicate<uint> isIn)
    {
        if (user == facts.Owner)
            return Has(facts.Mode >> 6);
        var list = attributes.Values.FirstOrDefault(v => v.Key == AccessList).Value;
        if (list is null)
            return Has(isIn(facts.Group) ? facts.Mode >> 3 : facts.Mode);
        var entries = Entries(list).ToList();
        var mask = entries.Where(e => e.Tag == Mask).Select(e => e.Rights).DefaultIfEmpty(7u).First();
        foreach (var named in entries.Where(e => e.Tag == NamedUser && e.Number == user))
            return Has(named.Rights & mask);
        var groups = entries
            .Where(e => (e.Tag == OwningGroup && isIn(facts.Group)) || (e.Tag == NamedGroup && isIn(e.Number)))
            .ToList();
        return groups.Count > 0 ? groups.Any(g => Has(g.Rights & mask)) : Has(facts.Mode);

        bool Has(uint rights) => (rights & wanted) == wanted;
    }

    private static IEnumerable<(ushort Tag, uint Rights, uint Number)> Entries(byte[] list)
    {
        for (var at = HeaderBytes; at + EntryBytes <= list.Length; at += EntryBytes)
            yield return (
                BinaryPrimitives.ReadUInt16LittleEndian(list.AsSpan(at)),
                BinaryPrimitives.ReadUInt16LittleEndian(list.AsSpan(at + 2)),
                BinaryPrimitives.ReadUInt32LittleEndian(list.AsSpan(at + 4))
            );
    }

    public Attributes Renumbered(Attributes attributes, Func<uint, bool, uint> renumber)
    {
        var values = attributes
            .Values.Select(v =>
                v.Key.StartsWith("system.posix_acl_", StringComparison.Ordinal)
                && Renumbered(v.Value, renumber) is { } changed
                    ? new(v.Key, changed)
                    : v
            )
            .ToList();
        return values.Zip(attributes.Values).All(pair => ReferenceEquals(pair.First.Value, pair.Second.Value))
            ? attributes
            : new Attributes(values);
    }

    /// <summary>
    /// An access list with other numbers; null when none changes. Entries: tag, rights, number, little-endian.
    /// </summary>
    private static byte[]? Renumbered(byte[] list, Func<uint, bool, uint> renumber)
    {
        byte[]? changed = null;
        foreach (var (i, entry) in Entries(list).Index())
        {
            if (entry.Tag is not (NamedUser or NamedGroup))
                continue;
            var now = renumber(entry.Number, entry.Tag == NamedGroup);
            if (now != entry.Number)
                BinaryPrimitives.WriteUInt32LittleEndian(
                    (changed ??= [.. list]).AsSpan(HeaderBytes + i * EntryBytes + 4),
                    now
                );
        }
        return changed;
    }
}
