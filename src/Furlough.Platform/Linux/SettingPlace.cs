using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Where pointers stand that are files or links: in their account's home, or, for what all accounts share, below the
/// system's settings folder.
/// </summary>
internal static class SettingPlace
{
    private const string InHome = "~/";

    /// <summary>Where a pointer of an account stands: its address follows the home when that is relocated.</summary>
    internal static string Container(string template, PasswdEntry account) =>
        template.StartsWith("{home}/", StringComparison.Ordinal)
            ? InHome + Filled(template["{home}/".Length..], account)
            : Filled(template, account);

    /// <summary>The home of an address's account as it is now.</summary>
    internal static string HomeOf(LinuxVolumes volumes, PointerAddress address) => Owner(volumes, address).Top;

    /// <summary>The whole path of an address.</summary>
    internal static string PathOf(LinuxVolumes volumes, PointerAddress address) =>
        PathOf(address, Owner(volumes, address).Top);

    private static string PathOf(PointerAddress address, string top) =>
        address.Container.StartsWith(InHome, StringComparison.Ordinal)
            ? $"{top}/{address.Container[InHome.Length..]}"
            : address.Container;

    /// <summary>A card's path for an account.</summary>
    internal static string Filled(string template, PasswdEntry account) =>
        template
            .Replace("{home}", account.Home, StringComparison.Ordinal)
            .Replace("{account}", account.Name, StringComparison.Ordinal);

    /// <summary>
    /// The folder that holds a pointer's file or link, opened step by step (I8); null where it does not exist.
    /// </summary>
    /// <exception cref="Fault"><c>account-missing</c>: the address lies in no home of its account.</exception>
    internal static LinuxFolder? Folder(LinuxVolumes volumes, PointerAddress address, out string name)
    {
        var (_, top) = Owner(volumes, address);
        var path = PathOf(address, top);
        var at = path.LastIndexOf('/');
        name = path[(at + 1)..];
        if (!path.StartsWith(top + "/", StringComparison.Ordinal) || path.Split('/').Any(p => p is "." or ".."))
            throw Missing(address);
        return volumes.TryOpenFolder(path[..at]);
    }

    /// <summary>
    /// The rights with which a pointer is read and changed: those of the account in whose home it stands (I8), the
    /// system's for what all accounts share.
    /// </summary>
    internal static IDisposable As(LinuxVolumes volumes, PointerAddress address) =>
        Owner(volumes, address).Account is var account && account == Passwd.System
            ? OwnRights.Kept
            : AccountRights.Take(volumes, account);

    /// <summary>
    /// The same folder; what of it is missing below the home is made with the account's own rights, and belongs to it.
    /// </summary>
    internal static LinuxFolder MadeFolder(LinuxVolumes volumes, PointerAddress address, out string name)
    {
        if (Folder(volumes, address, out name) is { } there)
            return there;
        var (owner, top) = Owner(volumes, address);
        var at = volumes.TryOpenFolder(top) ?? throw Missing(address);
        try
        {
            foreach (var part in PathOf(address, top)[(top.Length + 1)..].Split('/').SkipLast(1))
            {
                if (at.Find(part) is null)
                {
                    using (As(volumes, address))
                    using (var made = at.MakeFolder(part, Layout.Closed))
                        made.Apply(
                            made.Facts() with
                            {
                                Owner = owner.User,
                                Group = owner.Group,
                                Mode = owner == Passwd.System ? 0x1EDu : Layout.Closed,
                            },
                            Attributes.None
                        );
                    at.Flush();
                }
                var next = (LinuxFolder)at.OpenSubvolume(part);
                at.Dispose();
                at = next;
            }
            return at;
        }
        catch
        {
            at.Dispose();
            throw;
        }
    }

    /// <summary>Owner and rights of a settings file that has to be made in a folder.</summary>
    internal static NodeFacts WhenNew(LinuxVolumes volumes, PointerAddress address, LinuxFolder folder)
    {
        var (owner, _) = Owner(volumes, address);
        return folder.Facts() with
        {
            Owner = owner.User,
            Group = owner.Group,
            Mode = owner == Passwd.System ? 0x1A4u : 0x180u,
        };
    }

    private static (PasswdEntry Account, string Top) Owner(LinuxVolumes volumes, PointerAddress address)
    {
        var account =
            address.Account.Length == 0
                ? Passwd.System
                : Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == address.Account) ?? throw Missing(address);
        return (
            account,
            account != Passwd.System ? account.Home
            : address.InPlace ? LinuxApps.Folder
            : "/etc"
        );
    }

    private static Fault Missing(PointerAddress address) =>
        new(
            FaultKinds.AccountMissing,
            $"There is no account {address.Account} whose home holds `{address.Container}`.",
            ""
        );

    /// <summary>
    /// The path that a pointer is to lead to: the place, or the folder around it where the program adds its name.
    /// </summary>
    internal static string Spelled(IVolumes volumes, PointerAddress address, Place place)
    {
        var shown = volumes.Show(place);
        if (!shown.StartsWith('/'))
            throw Faults.VolumeAbsent(place.Volume);
        if (address.Adds is not { } adds)
            return shown;
        return shown.EndsWith("/" + adds, StringComparison.Ordinal)
            ? shown[..^(adds.Length + 1)]
            : throw Faults.PointerShape(adds, shown);
    }

    /// <summary>Where a setting's plain text leads; null where it is not a whole path.</summary>
    internal static string? Led(PointerAddress address, string? text) =>
        text?.TrimEnd('/') is not ['/', ..] path || path.Split('/').Any(p => p is "." or "..") ? null
        : address.Adds is null ? path
        : $"{path}/{address.Adds}";

    /// <summary>What keeps an account from changing its own file or link; null when nothing does.</summary>
    internal static string? FixedBy(LinuxVolumes volumes, PointerAddress address, uint account)
    {
        if (address.Commands is not null || address.InPlace)
            return null;
        using var folder = Folder(volumes, address, out var name);
        return folder?.Find(name) is { } file && file.Owner != account
            ? $"its file belongs to {Passwd.NameOf(volumes.Root, file.Owner)}"
            : null;
    }
}
