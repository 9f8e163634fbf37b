using System.Globalization;
using System.Text.Json;
using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Gives a tree's owners, groups and access lists the numbers that the same names have on this system now. Numbers may
/// have been exchanged, so that doing it twice would be wrong. What each node shall have is written down durably before
/// the first one is changed (I5), and afterwards whose numbers the tree has now; both beside the receipt, where anyone
/// who tries again finds them.
/// </summary>
internal static class Renumbering
{
    private const string List = "renumbering",
        Names = "names";

    /// <summary>Renumbers the docket's target and the account's folders above it.</summary>
    /// <param name="receiptFolder">The folder of the receipt by which the target is adopted.</param>
    /// <param name="former">Names and numbers when the receipt was written.</param>
    internal static void Run(
        StepContext context,
        IVolume volume,
        IFolder receiptFolder,
        IReadOnlyList<NumberedName> former
    )
    {
        using var root = volume.OpenRoot();
        if (receiptFolder.Find(List) is not null)
            Finish(context, volume, root, receiptFolder);
        var numbers = NumbersNow(context, ReadNames(receiptFolder) ?? former);
        if (numbers.Count == 0)
            return;
        WriteDown(context, root, receiptFolder, numbers);
        Finish(context, volume, root, receiptFolder);
        var changes = numbers
            .OrderBy(n => n.Key)
            .Select(n => $"{(n.Key.IsGroup ? "group" : "account")} {n.Key.Number} is {n.Value} now");
        context.Report.Add($"Owners have other numbers on this system than before: {string.Join(", ", changes)}.");
    }

    /// <summary>Does what is written down, then says whose numbers the tree has.</summary>
    private static void Finish(StepContext context, IVolume volume, IFolder root, IFolder receiptFolder)
    {
        Apply(context, root, receiptFolder);
        volume.Sync();
        using (var file = receiptFolder.OpenFile(List))
        using (var text = new StreamReader(file.Read()))
            DurableFile.Write(receiptFolder, Names, System.Text.Encoding.UTF8.GetBytes(text.ReadLine()!));
        receiptFolder.RemoveFile(List);
        receiptFolder.Flush();
    }

    private static IReadOnlyList<NumberedName>? ReadNames(IFolder receiptFolder)
    {
        if (receiptFolder.Find(Names) is null)
            return null;
        using var file = receiptFolder.OpenFile(Names);
        using var stream = file.Read();
        return JsonSerializer.Deserialize(stream, EngineJson.Default.IReadOnlyListNumberedName);
    }

    /// <summary>Former number to present one, for names whose number is another one now.</summary>
    private static Dictionary<(uint Number, bool IsGroup), uint> NumbersNow(
        StepContext context,
        IReadOnlyList<NumberedName> former
    )
    {
        var now = context.Machine.Accounts.Names().ToDictionary(n => (n.Name, n.IsGroup), n => n.Number);
        foreach (var gone in former.Where(f => !now.ContainsKey((f.Name, f.IsGroup))))
            context.Report.Add(
                $"There is no {(gone.IsGroup ? "group" : "account")} {gone.Name} any more; its number {gone.Number} is left as it is."
            );
        return former
            .Where(f => now.TryGetValue((f.Name, f.IsGroup), out var number) && number != f.Number)
            .ToDictionary(f => (f.Number, f.IsGroup), f => now[(f.Name, f.IsGroup)]);
    }

    /// <summary>First line: the names whose numbers are given; then a line for each node that changes.</summary>
    private static void WriteDown(
        StepContext context,
        IFolder root,
        IFolder receiptFolder,
        Dictionary<(uint, bool), uint> numbers
    )
    {
        var accounts = context.Machine.Accounts;
        var names = JsonSerializer.Serialize(accounts.Names(), EngineJson.Default.IReadOnlyListNumberedName) + "\n";
        var nodes = Above(context, root)
            .Where(above => IsAccounts(context, above, numbers))
            .Concat(Tree(context, root));
        var lines = nodes
            .Select(node => node.Renumbered(accounts, numbers))
            .OfType<Owned>()
            .Select(shall => shall.ToLine());
        DurableFile.Write(receiptFolder, List, System.Text.Encoding.UTF8.GetBytes(names + string.Concat(lines)));
    }

    /// <summary>
    /// Folders above are shared by the account's holdings: one that has the account's new number was renumbered with
    /// another holding.
    /// </summary>
    private static bool IsAccounts(StepContext context, Owned above, Dictionary<(uint, bool), uint> numbers) =>
        numbers.TryGetValue((above.Facts.Owner, false), out var now)
        && now.ToString(CultureInfo.InvariantCulture) == context.Docket.AccountId;

    private static IEnumerable<Owned> Above(StepContext context, IFolder root)
    {
        var parts = context.Docket.Target.Parts;
        // Dockets of earlier versions have the largest number where nothing belongs to the account.
        for (var count = (context.Docket.OwnedFrom ?? parts.Count) + 1L; count < parts.Count; count++)
        {
            using var above = Reach.Folder(root, parts.Take((int)count));
            yield return new Owned(string.Join('/', parts.Take((int)count)), above.Facts(), above.ReadAttributes());
        }
    }

    private static List<Owned> Tree(StepContext context, IFolder root)
    {
        using var target = Reach.Folder(root, context.Docket.Target.Parts);
        List<Owned> nodes = [];
        Walk.Visit(
            target,
            (folder, name, path, facts) =>
            {
                var attributes = Attributes.None;
                if (facts.Kind == NodeKind.File)
                {
                    using var file = folder!.OpenFile(name);
                    attributes = file.ReadAttributes();
                }
                else if (facts.Kind == NodeKind.Folder)
                {
                    using var opened = folder?.OpenFolder(name);
                    attributes = (opened ?? target).ReadAttributes();
                }
                nodes.Add(
                    new Owned(
                        path.Length == 0 ? context.Docket.Target.Path : Walk.Join(context.Docket.Target.Path, path),
                        facts,
                        attributes
                    )
                );
            },
            context.Stop
        );
        return nodes;
    }

    private static void Apply(StepContext context, IFolder root, IFolder receiptFolder)
    {
        using var file = receiptFolder.OpenFile(List);
        using var text = new StreamReader(file.Read());
        text.ReadLine();
        while (text.ReadLine() is { } line)
        {
            context.Stop.ThrowIfCancellationRequested();
            var shall = Owned.Parse(line);
            var parts = shall.Path.Split('/');
            using var folder = Reach.TryFolder(root, parts[..^1]);
            // Someone may have taken it away or replaced it: then it is not the node that was looked at.
            if (
                folder?.Find(parts[^1]) is not { } there
                || there.FileId != shall.Facts.FileId
                || there.Kind != shall.Facts.Kind
            )
                continue;
            shall.ApplyTo(folder, parts[^1], there);
        }
    }

    /// <summary>Who owns a node, and what its attributes say about others.</summary>
    private sealed record Owned(string Path, NodeFacts Facts, Attributes Attributes)
    {
        internal Owned? Renumbered(IAccounts accounts, Dictionary<(uint, bool), uint> numbers)
        {
            var attributes = accounts.Renumbered(Attributes, Now);
            var (owner, group) = (Now(Facts.Owner, false), Now(Facts.Group, true));
            return owner == Facts.Owner && group == Facts.Group && ReferenceEquals(attributes, Attributes)
                ? null
                : new Owned(Path, Facts with { Owner = owner, Group = group }, attributes);

            uint Now(uint number, bool isGroup) => numbers.GetValueOrDefault((number, isGroup), number);
        }

        internal void ApplyTo(IFolder folder, string name, in NodeFacts there)
        {
            var shall = there with { Owner = Facts.Owner, Group = Facts.Group };
            switch (there.Kind)
            {
                case NodeKind.File:
                    using (var file = folder.OpenFile(name))
                        file.Apply(shall, Attributes);
                    break;
                case NodeKind.Folder:
                    using (var opened = folder.OpenFolder(name))
                        opened.Apply(shall, Attributes);
                    break;
                default:
                    folder.ApplyTo(name, shall);
                    break;
            }
        }

        internal string ToLine()
        {
            var attributes = Attributes.Values.Select(v =>
                $"{PathText.Escape(v.Key)}={Convert.ToHexStringLower(v.Value)}"
            );
            return string.Create(
                CultureInfo.InvariantCulture,
                $"{PathText.Escape(Path)}\t{(int)Facts.Kind}\t{Facts.FileId}\t{Facts.Owner}\t{Facts.Group}\t"
                    + $"{string.Join(' ', attributes)}\n"
            );
        }

        internal static Owned Parse(string line)
        {
            var p = line.Split('\t');
            var inv = CultureInfo.InvariantCulture;
            var facts = new NodeFacts(
                (NodeKind)int.Parse(p[1], inv),
                0,
                0,
                0,
                0,
                0,
                ulong.Parse(p[2], inv),
                0,
                0,
                uint.Parse(p[3], inv),
                uint.Parse(p[4], inv)
            );
            return new Owned(
                PathText.Unescape(p[0]),
                facts,
                new Attributes([
                    .. p[5]
                        .Split(' ', StringSplitOptions.RemoveEmptyEntries)
                        .Select(v => v.Split('=', 2))
                        .Select(v => new KeyValuePair<string, byte[]>(
                            PathText.Unescape(v[0]),
                            Convert.FromHexString(v[1])
                        )),
                ])
            );
        }
    }
}
