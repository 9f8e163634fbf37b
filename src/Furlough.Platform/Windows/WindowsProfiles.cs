using System.Runtime.Versioning;
using Microsoft.Win32;

namespace Furlough.Platform.Windows;

/// <summary>One account with a profile on this system.</summary>
/// <param name="Sid">As the system numbers it.</param>
internal sealed record WindowsProfile(string Name, string Sid, string Home)
{
    /// <summary>A setting's text with the account's own variables filled in.</summary>
    internal string Expand(string text) => text.Replace("%USERPROFILE%", Home, StringComparison.OrdinalIgnoreCase);
}

/// <summary>The system's list of profiles.</summary>
[SupportedOSPlatform("windows")]
internal static class WindowsProfiles
{
    private const string List = @"SOFTWARE\Microsoft\Windows NT\CurrentVersion\ProfileList", OfPeople = "S-1-5-21-";

    internal static IReadOnlyList<WindowsProfile> All()
    {
        using var list = Registry.LocalMachine.OpenSubKey(List);
        List<WindowsProfile> profiles = [];
        foreach (var sid in list?.GetSubKeyNames().Where(n => n.StartsWith(OfPeople, StringComparison.OrdinalIgnoreCase)) ?? [])
        {
            using var key = list!.OpenSubKey(sid);
            if (key?.GetValue("ProfileImagePath") is string home && home.Length > 3 && Directory.Exists(home)) profiles.Add(new WindowsProfile(home[(home.LastIndexOf('\\') + 1)..], sid, home.TrimEnd('\\')));
        }
        return profiles;
    }
}
