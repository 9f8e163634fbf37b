using System.Runtime.Versioning;
using Furlough.Engine;
using Furlough.Model;
using Microsoft.Win32;

namespace Furlough.Platform.Windows;

/// <summary>One account with a profile on this system.</summary>
/// <param name="Sid">As the system numbers it.</param>
[SupportedOSPlatform("windows")]
internal sealed record WindowsProfile(string Name, string Sid, string Home)
{
    /// <summary>A setting's text with the account's own variables filled in.</summary>
    internal string Expand(string text) => text.Replace("%USERPROFILE%", Home, StringComparison.OrdinalIgnoreCase);

    /// <summary>The system has the account's settings loaded: someone is signed in, or a service runs as it.</summary>
    internal bool IsSignedIn
    {
        get
        {
            using var settings = Registry.Users.OpenSubKey(Sid);
            return settings is not null;
        }
    }

    /// <summary>
    /// The session's own word for its home; null where nobody is signed in. Since when it runs is not known.
    /// </summary>
    internal AccountSession? Session
    {
        get
        {
            using var session = Registry.Users.OpenSubKey($@"{Sid}\Volatile Environment");
            return session?.GetValue("USERPROFILE") is string home
                ? new AccountSession(DateTimeOffset.UnixEpoch, [home])
                : null;
        }
    }
}

/// <summary>The system's list of profiles. An account is known by the name of its home's folder.</summary>
[SupportedOSPlatform("windows")]
internal static class WindowsProfiles
{
    private const string List = @"SOFTWARE\Microsoft\Windows NT\CurrentVersion\ProfileList",
        OfPeople = "S-1-5-21-",
        Setting = "ProfileImagePath";

    /// <summary>The address of an account's home.</summary>
    internal static PointerAddress Address(WindowsProfile profile) =>
        new(RegistryPointers.ProfileList, $@"{List}\{profile.Sid}", Setting, profile.Name);

    /// <summary>An account's profile, also while its home is on the way to another place.</summary>
    internal static WindowsProfile Require(string account) =>
        Listed().Where(p => p.Name == account).OrderByDescending(p => Directory.Exists(p.Home)).FirstOrDefault()
        ?? throw new Fault(
            FaultKinds.AccountMissing,
            $"There is no account {account} with a profile on the machine.",
            ""
        );

    /// <summary>The accounts whose homes are there.</summary>
    internal static IReadOnlyList<WindowsProfile> All() => [.. Listed().Where(p => Directory.Exists(p.Home))];

    private static IEnumerable<WindowsProfile> Listed()
    {
        using var list = Registry.LocalMachine.OpenSubKey(List);
        // One that the system could not load is kept under a name with a dot.
        foreach (
            var sid in list?.GetSubKeyNames()
                .Where(n => n.StartsWith(OfPeople, StringComparison.OrdinalIgnoreCase) && !n.Contains('.'))
                ?? []
        )
        {
            using var key = list!.OpenSubKey(sid);
            if (key?.GetValue(Setting) is string home && home.Length > 3)
                yield return new WindowsProfile(home[(home.LastIndexOf('\\') + 1)..], sid, home.TrimEnd('\\'));
        }
    }
}
