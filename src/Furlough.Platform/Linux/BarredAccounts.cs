using System.Text;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;

namespace Furlough.Platform.Linux;

/// <summary>
/// Who is locked out by us, and how each account's sign-in was before: a small file for each in the system's own root.
/// It outlives the agent's journal, and without it a bar of ours could not be told from one that an administrator set.
/// </summary>
internal sealed class BarredAccounts(LinuxVolumes volumes)
{
    private const int MostBytes = 100;
    private static readonly string[] Path = ["var", "lib", "furlough-agent", "barred"];

    /// <summary>The accounts that we keep out, with how their sign-in was before.</summary>
    internal IReadOnlyDictionary<string, string> All()
    {
        using var folder = Open(make: false);
        return folder is null
            ? new Dictionary<string, string>()
            : folder
                .List()
                .Where(e => e.Kind == NodeKind.File && !e.Name.EndsWith("-new", StringComparison.Ordinal))
                .ToDictionary(e => e.Name, e => Read(folder, e.Name) ?? "", StringComparer.Ordinal);
    }

    /// <summary>How an account's sign-in was before we barred it; null when we have not.</summary>
    internal string? FormerOf(string account)
    {
        using var folder = Open(make: false);
        return folder?.Find(account) is null ? null : Read(folder, account);
    }

    /// <summary>Writes down how an account's sign-in is, before it is barred; durable on return.</summary>
    internal void Keep(string account, string former)
    {
        using var folder = Open(make: true)!;
        if (folder.Find(account) is null)
            DurableFile.Write(folder, account, Encoding.UTF8.GetBytes(former));
    }

    /// <summary>The account can sign in again.</summary>
    internal void Forget(string account)
    {
        using var folder = Open(make: false);
        if (folder?.Find(account) is null)
            return;
        folder.RemoveFile(account);
        folder.Flush();
    }

    private static string? Read(IFolder folder, string name)
    {
        if (folder.Find(name) is not { Kind: NodeKind.File, SizeBytes: < MostBytes })
            return null;
        using var file = folder.OpenFile(name);
        using var text = new StreamReader(file.Read());
        return text.ReadToEnd();
    }

    private IFolder? Open(bool make)
    {
        IFolder? at = volumes.TryOpenFolder("/");
        foreach (var part in Path)
        {
            if (at is null)
                return null;
            using var above = at;
            if (above.Find(part) is null)
            {
                if (!make)
                    return null;
                above.MakeFolder(part, part == Path[^1] ? Layout.Closed : Layout.Open).Dispose();
                above.Flush();
            }
            at = above.OpenFolder(part);
        }
        return at;
    }
}
