using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>Pointers in the user-dirs file of an account: eight settings, one container.</summary>
internal sealed class XdgPointers(LinuxVolumes volumes) : IPointers
{
    internal const string Kind = "xdg-user-dirs";
    private const string FileName = "user-dirs.dirs";
    private const string Type = "quoted";

    /// <summary>The address of one setting of an account.</summary>
    internal static PointerAddress Address(PasswdEntry account, string key) => new(Kind, $"{account.Home}/.config/{FileName}", key, account.Name);

    public PointerValue Read(PointerAddress address)
    {
        using var folder = Config(address, make: false);
        return ToValue(UserDirs.Find(folder is null ? null : ContainerFile.Read(folder, FileName), address.Key));
    }

    /// <summary>What keeps the account from changing its own settings file; null when nothing does.</summary>
    internal string? FixedBy(PointerAddress address)
    {
        var account = Account(address);
        using var folder = Config(address, make: false);
        if (folder?.Find(FileName) is not { } file) return null;
        return file.Owner == account.User ? null : $"its file belongs to {Passwd.NameOf(volumes.Root, file.Owner)}";
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present)
    {
        var shown = volumes.Show(place);
        return shown.StartsWith('/') ? new PointerValue(Type, UserDirs.Spell(shown)) : throw Faults.VolumeAbsent(place.Volume);
    }

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        var account = Account(address);
        using var folder = Config(address, make: true)!;
        ContainerFile.Edit(folder, FileName, folder.Facts() with { Owner = account.User, Group = account.Group, Mode = 0x180 }, content =>
        {
            var found = ToValue(UserDirs.Find(content, address.Key));
            return found == expected ? UserDirs.Replace(content, address.Key, next.Text) : throw Faults.PointerChanged(address, expected, found);
        });
    }

    private PasswdEntry Account(PointerAddress address) =>
        address.Kind != Kind ? throw new Fault("pointer-kind-unknown", $"This machine has no settings of the kind {address.Kind}.", "Survey the machine and make a new plan.")
        : Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == address.Account && address == Address(p, address.Key))
            ?? throw new Fault("account-missing", $"There is no account {address.Account} with this settings file on the machine.", "Survey the machine and make a new plan.");

    /// <summary>The account's configuration folder, opened step by step from its volume: a link on the way stops it (I8).</summary>
    private LinuxFolder? Config(PointerAddress address, bool make)
    {
        var account = Account(address);
        using var home = volumes.TryOpenFolder(account.Home) ?? throw new IoFault(IoReason.NotFound, account.Home, "no such home");
        if (home.Find(".config") is { Kind: NodeKind.Link }) throw new IoFault(IoReason.BehindLink, account.Home + "/.config", "a link stands in the settings folder's place");
        if (home.Find(".config") is null)
        {
            if (!make) return null;
            using var made = home.MakeFolder(".config", Layout.Closed);
            made.Apply(made.Facts() with { Owner = account.User, Group = account.Group }, Attributes.None);
        }
        return (LinuxFolder)home.OpenFolder(".config");
    }

    private static PointerValue ToValue(string? raw) => raw is null ? PointerValue.Absent : new PointerValue(Type, raw);
}
