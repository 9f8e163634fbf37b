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
    internal static PointerAddress Address(PasswdEntry account, string key) =>
        new(Kind, $"~/.config/{FileName}", key, account.Name);

    public PointerValue Read(PointerAddress address)
    {
        RequireKnown(address);
        using var folder = SettingPlace.Folder(volumes, address, out var name);
        using var rights = SettingPlace.As(volumes, address);
        return ToValue(UserDirs.Find(folder is null ? null : ContainerFile.Read(folder, name), address.Key));
    }

    public string? Leads(PointerAddress address, PointerValue value)
    {
        RequireKnown(address);
        var home = SettingPlace.HomeOf(volumes, address);
        return value.Text is not null ? UserDirs.Resolve(value.Text, home)
            : UserDirs.Keys.FirstOrDefault(k => k.Key == address.Key).Name is { } usual ? $"{home}/{usual}"
            : null;
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present)
    {
        var shown = volumes.Show(place);
        return shown.StartsWith('/')
            ? new PointerValue(Type, UserDirs.Spell(shown))
            : throw Faults.VolumeAbsent(place.Volume);
    }

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        RequireKnown(address);
        using var folder = SettingPlace.MadeFolder(volumes, address, out var name);
        var whenNew = SettingPlace.WhenNew(volumes, address, folder);
        using var rights = SettingPlace.As(volumes, address);
        ContainerFile.Edit(folder, name, whenNew, content =>
        {
            var found = ToValue(UserDirs.Find(content, address.Key));
            return found == expected
                ? UserDirs.Replace(content, address.Key, next.Text)
                : throw Faults.PointerChanged(address, expected, found);
        });
    }

    private static void RequireKnown(PointerAddress address)
    {
        if (address.Kind != Kind)
            throw new Fault(
                FaultKinds.PointerKindUnknown,
                $"This machine has no settings of the kind {address.Kind}.",
                ""
            );
        if (!address.Container.EndsWith($"/.config/{FileName}", StringComparison.Ordinal))
            throw new Fault(
                FaultKinds.AccountMissing,
                $"The file `{address.Container}` is not an account's list of user folders.",
                ""
            );
    }

    private static PointerValue ToValue(string? raw) => raw is null ? PointerValue.Absent : new PointerValue(Type, raw);
}
