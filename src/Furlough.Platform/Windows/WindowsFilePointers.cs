using System.Runtime.Versioning;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Furlough.Platform.Settings;

namespace Furlough.Platform.Windows;

/// <summary>Pointers that are one key of a settings file in an account's home, in any of the syntaxes.</summary>
[SupportedOSPlatform("windows")]
internal sealed class WindowsFilePointers(WindowsVolumes volumes) : IPointers
{
    private const string InCard = "{home}/",
        InHome = "~/";

    /// <summary>
    /// The address of a card's setting: it follows the home when that is relocated. Null where the setting lies in no
    /// home.
    /// </summary>
    internal static PointerAddress? Address(WindowsProfile profile, CardPointer pointer) =>
        pointer.File.StartsWith(InCard, StringComparison.Ordinal)
            ? new PointerAddress(
                pointer.Syntax,
                InHome + pointer.File[InCard.Length..].Replace("{account}", profile.Name, StringComparison.Ordinal),
                pointer.Key,
                profile.Name
            )
            {
                Adds = pointer.Adds,
            }
            : null;

    /// <summary>A card's path as this system spells it: in the home, or from the system volume's root on.</summary>
    internal static string Filled(string template, WindowsProfile profile)
    {
        var path = template.Replace("{account}", profile.Name, StringComparison.Ordinal);
        return (
            path.StartsWith(InCard, StringComparison.Ordinal)
                ? $"{profile.Home}/{path[InCard.Length..]}"
                : Environment.SystemDirectory[..2] + path
        ).Replace('/', '\\');
    }

    public PointerValue Read(PointerAddress address)
    {
        using var folder = Folder(address, makes: false, out var name);
        return folder is null
            ? PointerValue.Absent
            : SettingEdit.ValueIn(address, WindowsContainerFile.Read(folder, name));
    }

    /// <summary>Programs write whole paths with either sign between names.</summary>
    public string? Leads(PointerAddress address, PointerValue value)
    {
        if (
            SettingEdit.Decoded(address, value)?.Replace('/', '\\').TrimEnd('\\')
            is not [var letter and (>= 'A' and <= 'Z' or >= 'a' and <= 'z'), ':', '\\', _, ..] path
        )
            return null;
        return path.Split('\\').Any(p => p is "" or "." or "..")
            ? null
            : $"{char.ToUpperInvariant(letter)}{path[1..]}{(address.Adds is { } adds ? $@"\{adds}" : "")}";
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present)
    {
        var shown = volumes.Show(place);
        if (shown is not [_, ':', ..])
            throw Faults.VolumeAbsent(place.Volume);
        if (address.Adds is { } adds)
            shown = shown.EndsWith($@"\{adds}", StringComparison.OrdinalIgnoreCase)
                ? shown[..^(adds.Length + 1)]
                : throw Faults.PointerShape(adds, shown);
        var asNow = SettingEdit.Decoded(address, present);
        return SettingEdit.Encoded(
            address,
            asNow?.Contains('/') == true && !asNow.Contains('\\') ? shown.Replace('\\', '/') : shown,
            present
        );
    }

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        using var folder = Folder(address, makes: next.Text is not null, out var name)
            ?? throw SettingEdit.NoFile(address);
        WindowsContainerFile.Edit(folder, name, content => SettingEdit.Changed(address, content, expected, next));
    }

    /// <summary>
    /// The folder that holds a pointer's file, opened step by step from its volume's root on (I8); null where it is not
    /// there and is not to be made.
    /// </summary>
    private static IFolder? Folder(PointerAddress address, bool makes, out string name)
    {
        var profile = WindowsProfiles.Require(address.Account);
        var parts = address.Container.StartsWith(InHome, StringComparison.Ordinal)
            ? address.Container[InHome.Length..].Split('/')
            : throw Missing(address);
        if (parts.Any(p => p is "" or "." or ".."))
            throw Missing(address);
        name = parts[^1];
        var home = WindowsVolumes.PlaceOf(profile.Home) ?? throw Missing(address);
        if (!makes)
            return WindowsVolumes.TryOpenFolder(
                home with
                {
                    Path = string.Join('/', [.. home.Parts, .. parts.SkipLast(1)]),
                }
            );
        var at = WindowsVolumes.TryOpenFolder(home) ?? throw Missing(address);
        foreach (var part in parts.SkipLast(1))
        {
            using var above = at;
            // What is made inherits its rights from the home.
            at = above.Find(part) is null ? above.MakeFolder(part, mode: 0x1ED) : above.OpenFolder(part);
        }
        return at;
    }

    private static Fault Missing(PointerAddress address) =>
        new(
            FaultKinds.AccountMissing,
            $"There is no account {address.Account} whose home holds `{address.Container}`.",
            ""
        );
}

/// <summary>All pointers of a Windows system: each address goes to the adapter that its kind names.</summary>
[SupportedOSPlatform("windows")]
internal sealed class WindowsPointers(RegistryPointers registry, WindowsFilePointers files) : IPointers
{
    public PointerValue Read(PointerAddress address) => Of(address).Read(address);

    public string? Leads(PointerAddress address, PointerValue value) => Of(address).Leads(address, value);

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        Of(address).Spell(address, place, present);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next) =>
        Of(address).Swap(address, expected, next);

    /// <summary>The address of a card's pointer for an account; null where this system has no such settings.</summary>
    internal static PointerAddress? Address(WindowsProfile profile, CardPointer pointer) =>
        pointer.Syntax == CardPointer.Registry
            ? new PointerAddress(RegistryPointers.Kind, pointer.File, pointer.Key, profile.Name) { Adds = pointer.Adds }
        : SettingEdit.Knows(pointer.Syntax) && !pointer.InPlace && pointer.Commands is null
            ? WindowsFilePointers.Address(profile, pointer)
        : null;

    /// <summary>The registry's adapter also refuses kinds that nobody knows.</summary>
    private IPointers Of(PointerAddress address) => SettingEdit.Knows(address.Kind) ? files : registry;
}
