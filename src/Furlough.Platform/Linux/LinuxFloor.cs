using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// What the machine lets be done to it, no matter who asks. Set where the agent is installed; the service cannot change
/// it.
/// </summary>
/// <param name="TargetsBelow">Folders of the system volume below which holdings may be put; on other volumes they may
/// go everywhere but below the system's own folders.</param>
/// <param name="Settings">System-wide settings files that kind cards may change, besides those that ship with the
/// product.</param>
public sealed record LocalRules(IReadOnlyList<string> TargetsBelow, IReadOnlyList<string> Settings)
{
    /// <summary>Nothing beyond what ships with the product.</summary>
    public static LocalRules Usual { get; } = new([], []);

    /// <summary>Folders besides /srv below which what all accounts share may be relocated from.</summary>
    public IReadOnlyList<string> SharedBelow { get; init; } = [];
}

/// <summary>
/// The floor below which nobody gets a machine: sources are an account's own data in its home, or where the machine's
/// own journal or a receipt that the system made says that it was put; targets lie where the installation allows; and
/// none of it is the system's.
/// </summary>
internal sealed class LinuxFloor(LinuxVolumes volumes, string? fallback, LocalRules rules, string? agentFolder) : IFloor
{
    private const string Apps = "/opt",
        Shared = "/srv";

    /// <summary>Folders of the system: nothing of them moves and nothing moves into them.</summary>
    private static readonly string[] Systems =
    [
        "/etc",
        "/usr",
        "/boot",
        "/root",
        "/bin",
        "/sbin",
        "/lib",
        "/lib32",
        "/lib64",
        "/dev",
        "/proc",
        "/sys",
        "/run",
        "/var/lib/furlough-agent",
        "/var/lib/furlough",
    ];

    /// <summary>Settings files of the whole system that the product's own kind cards name.</summary>
    private static readonly string[] OwnSettings = ["/etc/flatpak/installations.d/roomy.conf"];

    public void Require(Docket docket, IJournal journal)
    {
        Func<HoldingName, Place, bool> wasPutThere = journal.WasAt;
        var holding = docket.Holding;
        if (!holding.IsShared)
        {
            var account = Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == holding.Account)
                ?? throw Refused($"There is no account {holding.Account} of a person on this machine.");
            if (account.User.ToString(CultureInfo.InvariantCulture) != docket.AccountId)
                throw Refused(
                    $"The docket calls {holding.Account} number {docket.AccountId}, and here it is {account.User}."
                );
            if (account.Name == fallback)
                throw Refused(
                    $"{account.Name} is the fallback administrator of this machine: nothing of it is relocated."
                );
        }
        if (docket.Work == DocketWork.Relocate)
        {
            if (docket.Method != Method.Setting && WhyNotFrom(holding, docket.Source, wasPutThere) is { } why)
                throw new Fault(
                    FaultKinds.SourceForeign,
                    why,
                    "Only an account's own folders are relocated. Leave this one out, or correct the setting that leads there."
                );
            if (WhyNotTo(docket.Target) is { } not)
                throw Refused(not);
        }
        // A return, a fall-back, a discard and gathering go between places that an earlier docket of this machine
        // named.
        else if (!wasPutThere(holding, docket.Target) || !wasPutThere(holding, docket.Source))
            throw Refused(
                $"No relocation that this machine carried out had {holding} at `{volumes.Show(docket.Source)}` "
                    + $"and `{volumes.Show(docket.Target)}`."
            );
        foreach (var change in docket.Pointers)
        {
            RequireSetting(change.Address);
            // A raw value goes into a file as it stands, where a reader may run or expand it: only one that this
            // machine found there itself does.
            if (
                docket.Work.MovesHolding()
                && change.Next is { Text: not null } given
                && (docket.Work == DocketWork.Relocate || !journal.HadValue(change.Address, given))
            )
                throw Refused(
                    $"The docket says how the setting {change.Address} is to be written, and no relocation that "
                        + "this machine carried out found it so."
                );
        }
    }

    /// <summary>
    /// Why what stands at a place is not an account's to be relocated; null when it is. For surveys too.
    /// </summary>
    internal string? WhyNotFrom(HoldingName holding, Place source, Func<HoldingName, Place, bool> wasPutThere)
    {
        var shown = volumes.Show(source);
        if (Systems.FirstOrDefault(s => Touches(shown, s)) is { } system)
            return $"`{shown}` belongs to the system (`{system}`).";
        if (holding.IsShared)
            return wasPutThere(holding, source) ? null : WhyNotShared(holding.Kind, shown);
        var people = Passwd.People(volumes.Root);
        if (people.FirstOrDefault(p => p.Name == holding.Account) is not { } account)
            return $"There is no account {holding.Account} of a person on this machine.";
        if (
            people.FirstOrDefault(p => p.Name != account.Name && p.Home != account.Home && Touches(shown, p.Home)) is
            { } other
        )
            return $"`{shown}` is the home of {other.Name}, or lies in it.";
        if (!IsIn(shown, account.Home) && !wasPutThere(holding, source) && !HasReceipt(holding, source))
            return $"`{shown}` lies outside the home of {account.Name}, and Furlough did not put it there{OwnerOf(source, account)}.";
        return OwnerOf(source, account) is { Length: > 0 } foreign
            ? $"`{shown}` is not {account.Name}'s{foreign}."
            : null;
    }

    private string? WhyNotShared(HoldingKind kind, string shown) =>
        kind switch
        {
            HoldingKind.App when !IsBelow(shown, Apps) => $"`{shown}` is not below `{Apps}`, where apps stand.",
            HoldingKind.Library when !rules.SharedBelow.Prepend(Shared).Any(b => IsBelow(shown, b.TrimEnd('/'))) =>
                $"`{shown}` is not below `{Shared}`, from where alone this agent relocates what all accounts "
                    + "share (`furlough-agent --allow-shared FOLDER` names further folders).",
            _ => null,
        };

    private string? WhyNotTo(Place target)
    {
        var shown = volumes.Show(target);
        if (Systems.Append(agentFolder ?? "").FirstOrDefault(s => s.Length > 0 && Touches(shown, s)) is { } system)
            return $"`{shown}` belongs to the system (`{system}`).";
        using var volume = volumes.TryOpenVolume(target.Volume);
        if (
            volume is null
            || volumes.IsSystems(volume.Identity.Key) is false
            || rules.TargetsBelow.Any(b => IsBelow(shown, b.TrimEnd('/')))
        )
            return null;
        return $"`{shown}` lies on the system's own volume, where the installation of this agent allows no target.";
    }

    /// <summary>
    /// Of system-wide settings only those that are listed are changed: a line in another one could give someone the
    /// system.
    /// </summary>
    internal void RequireSetting(PointerAddress address)
    {
        if (
            address.Account.Length > 0
            || address.InPlace
            || address.Commands is not null
            || OwnSettings.Concat(rules.Settings).Contains(address.Container, StringComparer.Ordinal)
        )
            return;
        throw new Fault(
            FaultKinds.SettingNotAllowed,
            $"`{address.Container}` is a settings file of the whole system, and the installation of this agent "
                + "does not allow it to be changed.",
            $"If it may be: start the agent with `--allow-setting {address.Container}`."
        );
    }

    /// <summary>
    /// ", it belongs to root" where another one than the account owns what stands at a place; nothing where it is the
    /// account's, or nobody can tell.
    /// </summary>
    private string OwnerOf(Place place, PasswdEntry account)
    {
        using var volume = volumes.TryOpenVolume(place.Volume);
        if (volume is null || !volume.Abilities.Owners)
            return "";
        using var root = volume.OpenRoot();
        using var parent = Reach.TryFolder(root, place.Parts.SkipLast(1));
        return
            place.Parts.Count > 0
            && parent?.Find(place.Parts[^1]) is { Kind: NodeKind.Folder } there
            && there.Owner != account.User
            ? $": it belongs to {Passwd.NameOf(volumes.Root, there.Owner)}"
            : "";
    }

    /// <summary>
    /// Whether a receipt in a folder that only the system can have made says that the holding was put at a place.
    /// </summary>
    private bool HasReceipt(HoldingName holding, Place place)
    {
        using var volume = volumes.TryOpenVolume(place.Volume);
        if (volume is null)
            return false;
        using var root = volume.OpenRoot();
        return DocketFolders
            .Receipts(root, volume.Abilities, place)
            .Any(r => r.Docket.Target == place && r.Docket.Holding.Account == holding.Account);
    }

    private static Fault Refused(string why) =>
        new(
            FaultKinds.NotAllowedHere,
            why,
            "This machine does not let that be done to it. If it should: change how its agent is installed there."
        );

    private static bool IsBelow(string path, string folder) =>
        folder.Length > 0 && path.StartsWith(folder + "/", StringComparison.Ordinal);

    private static bool IsIn(string path, string folder) => path == folder || IsBelow(path, folder);

    /// <summary>One is the other, or lies in it.</summary>
    private static bool Touches(string path, string folder) => IsIn(path, folder) || IsBelow(folder, path);
}
