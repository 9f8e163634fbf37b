using System.Runtime.Versioning;
using Furlough.Engine;
using Furlough.Model;
using Microsoft.Win32;

namespace Furlough.Platform.Windows;

/// <summary>
/// An account's part of the registry, also while the account is not signed in: then its file is loaded for as long as
/// this is held, for reading a copy of it, so that the account can sign in and its home be copied meanwhile. While it
/// is changed the account cannot sign in properly, so it is held for a change only. One at a time in the whole agent; a
/// holder may hold it again.
/// </summary>
[SupportedOSPlatform("windows")]
internal sealed class AccountSettings : IDisposable
{
    private const string FileName = "NTUSER.DAT",
        Mark = "furlough-",
        ReadMark = "furlough-read-";

    /// <summary>What the system keeps beside the file, and needs when it was not closed properly.</summary>
    private static readonly string[] Parts = ["", ".LOG1", ".LOG2"];

    private static readonly Lock OneAtATime = new();
    private static readonly HashSet<string> Loaded = new(StringComparer.OrdinalIgnoreCase);

    private readonly WindowsProfile _profile;
    private readonly bool _loads,
        _changes;

    private AccountSettings(WindowsProfile profile, bool changes)
    {
        (_profile, _changes) = (profile, changes);
        OneAtATime.Enter();
        try
        {
            using (var signedIn = Registry.Users.OpenSubKey(profile.Sid))
                IsSignedIn = signedIn is not null;
            if (IsSignedIn || Loaded.Contains(Name))
                return;
            Load();
            _loads = Loaded.Add(Name);
        }
        catch
        {
            OneAtATime.Exit();
            throw;
        }
    }

    private bool IsSignedIn { get; }

    private string Name => IsSignedIn ? _profile.Sid : (_changes ? Mark : ReadMark) + _profile.Sid;

    private string File => $@"{_profile.Home}\{FileName}";

    /// <summary>Holds an account's settings until disposed.</summary>
    /// <param name="changes">They will be changed.</param>
    /// <exception cref="Fault">Their file is missing, in use, read-only or not understood.</exception>
    internal static AccountSettings Of(WindowsProfile profile, bool changes = false) => new(profile, changes);

    /// <summary>Opens a part of them; null when there is none of that path.</summary>
    internal RegistryKey? Open(string path)
    {
        using var top = Registry.Users.OpenSubKey(Name);
        return top?.OpenSubKey(path, _changes);
    }

    public void Dispose()
    {
        try
        {
            if (_loads)
                Unload();
        }
        finally
        {
            OneAtATime.Exit();
        }
    }

    private void Load()
    {
        RequireFile();
        // One that an agent left there that died meanwhile.
        _ = Native.RegUnLoadKeyW(Native.UsersKey, Name);
        var error = Native.RegLoadKeyW(Native.UsersKey, Name, _changes ? File : Copy());
        if (error == 0)
            return;
        _ = Native.RegUnLoadKeyW(Native.UsersKey, Name);
        RemoveCopies();
        throw error switch
        {
            Native.SharingError => InUse(),
            Native.NoRegistryFile or Native.DamagedRegistry => new Fault(
                FaultKinds.SettingsNotUnderstood,
                $"The settings of {_profile.Name}, `{File}`, are damaged: the system does not read them.",
                "Have the account sign in and look at it; nothing was changed."
            ),
            _ => Native.Fault(error, File),
        };
    }

    private void RequireFile()
    {
        if (!System.IO.File.Exists(File))
            throw new Fault(
                FaultKinds.AccountSettingsMissing,
                $"{_profile.Name} is not signed in, and its settings are not at `{File}`.",
                "Have the account sign in once, then survey the machine."
            );
        if (_changes && System.IO.File.GetAttributes(File).HasFlag(FileAttributes.ReadOnly))
            throw new Fault(
                FaultKinds.AccountSettingsReadOnly,
                $"The settings of {_profile.Name}, `{File}`, are read-only.",
                "Find out who made them so, take that away."
            );
    }

    private Fault InUse() =>
        new(
            FaultKinds.AccountSettingsInUse,
            $"The settings of {_profile.Name}, `{File}`, are in use by another program, though the account is not signed in.",
            "Have that program end (a backup, or a sign-out that is still going on)."
        );

    /// <summary>A copy that is read, in a folder of the agent's own.</summary>
    private string Copy()
    {
        RemoveCopies();
        var copy = Path.Combine(Directory.CreateTempSubdirectory($"{Name}-").FullName, FileName);
        try
        {
            foreach (var part in Parts)
                if (System.IO.File.Exists(File + part))
                    System.IO.File.Copy(File + part, copy + part);
            // One that is read-only is read all the same.
            System.IO.File.SetAttributes(copy, FileAttributes.Normal);
            return copy;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            RemoveCopies();
            throw (error.HResult & 0xFFFF) == Native.SharingError ? InUse()
            : error is IOException io ? Native.Fault(io, File)
            : new IoFault(IoReason.Denied, File, "it may not be read");
        }
    }

    /// <summary>Also those of an agent that died meanwhile.</summary>
    private void RemoveCopies()
    {
        if (_changes)
            return;
        foreach (var folder in Directory.EnumerateDirectories(Path.GetTempPath(), $"{Name}-*"))
            Directory.Delete(folder, recursive: true);
    }

    private void Unload()
    {
        Loaded.Remove(Name);
        var kept = $"{File}.furlough-new";
        // The compatible system does not write a loaded file back automatically.
        if (_changes && Native.IsCompatible)
        {
            System.IO.File.Delete(kept);
            using var top = Registry.Users.OpenSubKey(Name)!;
            if (Native.RegSaveKeyW(top.Handle.DangerousGetHandle(), kept, 0) is var failed and not 0)
                throw Native.Fault(failed, kept);
        }
        if (Native.RegUnLoadKeyW(Native.UsersKey, Name) is var error and not 0)
            throw Native.Fault(error, File);
        RemoveCopies();
        if (_changes && Native.IsCompatible)
            System.IO.File.Move(kept, File, overwrite: true);
    }
}
