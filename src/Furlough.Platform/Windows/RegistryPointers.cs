using System.Runtime.Versioning;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Win32;

namespace Furlough.Platform.Windows;

/// <summary>
/// Pointers that are one value of an account's part of the registry, or of the machine's (in the view of 64-bit or of
/// 32-bit programs), with its type: what is expandable stays so. The registry has no exchange of a value for an
/// expected one: it is read, compared, written and read back.
/// </summary>
[SupportedOSPlatform("windows")]
internal sealed class RegistryPointers(WindowsVolumes volumes) : IPointers
{
    internal const string Kind = CardPointer.Registry,
        Kind32 = "registry-32",
        ProfileList = "profile-list";
    private const string Text = "text",
        Expandable = "expandable";

    public PointerValue Read(PointerAddress address)
    {
        using var settings = SettingsOf(address, changes: false);
        using var key = Open(settings, address, writable: false);
        return key is null ? PointerValue.Absent : Read(key, address);
    }

    public string? Leads(PointerAddress address, PointerValue value)
    {
        if (value.Text is not { } text)
            return null;
        var path = (
            value.Type == Expandable
                ? (Profile(address)?.Expand(text) ?? text).Replace(
                    "%SystemDrive%",
                    Environment.SystemDirectory[..2],
                    StringComparison.OrdinalIgnoreCase
                )
                : text
        ).TrimEnd('\\');
        if (address.Adds is { } adds)
            path += $@"\{adds}";
        if (address.Behind is { } behind)
        {
            if (!path.EndsWith(behind, StringComparison.OrdinalIgnoreCase))
                return null;
            path = path[..^behind.Length];
        }
        return
            path.Length > 3
            && path[1] == ':'
            && path[2] == '\\'
            && !path.Contains('%')
            && path.Split('\\').All(p => p is not ("" or "." or ".."))
            ? char.ToUpperInvariant(path[0]) + path[1..]
            : null;
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present)
    {
        var shown = volumes.Show(place);
        if (shown is not [_, ':', ..])
            throw Faults.VolumeAbsent(place.Volume);
        if (address.Adds is { } adds)
        {
            if (!shown.EndsWith($@"\{adds}", StringComparison.OrdinalIgnoreCase))
                throw Faults.PointerShape(adds, shown);
            shown = shown[..^(adds.Length + 1)];
        }
        // A percent sign would begin a variable in an expandable value.
        return new PointerValue(
            present.Type == Expandable && !shown.Contains('%') ? Expandable : Text,
            shown + address.Behind
        );
    }

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        using (var settings = SettingsOf(address, changes: true))
        using (
            var key = Open(settings, address, writable: true)
                ?? throw new IoFault(IoReason.NotFound, address.Container, "no such part of the registry")
        )
        {
            var found = Read(key, address);
            if (found != expected)
                throw Faults.PointerChanged(address, expected, found);
            if (next.Text is null)
                key.DeleteValue(address.Key, throwOnMissingValue: false);
            else
                key.SetValue(
                    address.Key,
                    next.Text,
                    next.Type == Expandable ? RegistryValueKind.ExpandString : RegistryValueKind.String
                );
            key.Flush();
        }
        // Settings that were loaded for this are read back from their file.
        if (Read(address) is var now && now != next)
            throw Faults.PointerChanged(address, next, now);
    }

    /// <summary>The registry's own type of value must be one of the two that hold paths.</summary>
    private static PointerValue Read(RegistryKey key, PointerAddress address)
    {
        if (key.GetValue(address.Key, null, RegistryValueOptions.DoNotExpandEnvironmentNames) is not { } value)
            return PointerValue.Absent;
        return (key.GetValueKind(address.Key), value) switch
        {
            (RegistryValueKind.String, string text) => new PointerValue(Text, text),
            (RegistryValueKind.ExpandString, string text) => new PointerValue(Expandable, text),
            var (kind, _) => throw new Fault(
                FaultKinds.SettingsNotUnderstood,
                $"The setting {address} is of the type {kind}, which holds no path.",
                "Look at the registry; nothing was changed."
            ),
        };
    }

    /// <summary>The settings of an address's account; null for what all accounts share.</summary>
    private static AccountSettings? SettingsOf(PointerAddress address, bool changes) =>
        Profile(address) is { } profile ? AccountSettings.Of(profile, changes) : null;

    private static RegistryKey? Open(AccountSettings? settings, PointerAddress address, bool writable)
    {
        if (address.Kind is not (Kind or Kind32 or ProfileList))
            throw new Fault(
                FaultKinds.PointerKindUnknown,
                $"This machine has no settings of the kind {address.Kind}.",
                ""
            );
        try
        {
            if (settings is not null)
                return settings.Open(address.Container);
            using var top = RegistryKey.OpenBaseKey(
                RegistryHive.LocalMachine,
                address.Kind == Kind32 ? RegistryView.Registry32 : RegistryView.Registry64
            );
            return top.OpenSubKey(address.Container, writable);
        }
        catch (System.Security.SecurityException)
        {
            throw new IoFault(IoReason.Denied, address.Container, "the registry refuses it");
        }
    }

    /// <summary>
    /// The profile of the account whose own settings an address is among; null for what the machine keeps.
    /// </summary>
    private static WindowsProfile? Profile(PointerAddress address) =>
        address.Account.Length == 0 || address.Kind == ProfileList ? null : WindowsProfiles.Require(address.Account);
}
