using System.Runtime.Versioning;
using System.Security.AccessControl;
using System.Security.Principal;
using System.Text;

namespace Furlough.Protocol;

/// <summary>Folders that only their owner may look into, and on Windows the system and administrators.</summary>
public static class PrivateFolder
{
    /// <summary>Makes the folder closed from the start, and closes one that is there.</summary>
    public static DirectoryInfo Make(string path)
    {
        if (OperatingSystem.IsWindows())
        {
            MakeProtected(path);
            return new DirectoryInfo(path);
        }
        const UnixFileMode closed = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
        Directory.CreateDirectory(path, closed);
        if ((File.GetUnixFileMode(path) & ~closed) != 0)
            File.SetUnixFileMode(path, closed);
        return new DirectoryInfo(path);
    }

    /// <summary>
    /// What is made in it later has the same rights; what a folder above hands down does not reach it.
    /// </summary>
    [SupportedOSPlatform("windows")]
    private static void MakeProtected(string path)
    {
        using var self = WindowsIdentity.GetCurrent();
        var rights = new DirectorySecurity();
        rights.SetAccessRuleProtection(isProtected: true, preserveInheritance: false);
        foreach (
            var who in (SecurityIdentifier[])
                [
                    self.User!,
                    new(WellKnownSidType.LocalSystemSid, null),
                    new(WellKnownSidType.BuiltinAdministratorsSid, null),
                ]
        )
            rights.AddAccessRule(
                new FileSystemAccessRule(
                    who,
                    FileSystemRights.FullControl,
                    InheritanceFlags.ContainerInherit | InheritanceFlags.ObjectInherit,
                    PropagationFlags.None,
                    AccessControlType.Allow
                )
            );
        var folder = new DirectoryInfo(path);
        if (folder.Exists)
            folder.SetAccessControl(rights);
        else
            folder.Create(rights);
    }
}

/// <summary>Files that only their owner may read.</summary>
public static class PrivateFile
{
    /// <summary>Writes a file of mode 0600 under a temporary name, makes it durable and renames it.</summary>
    public static void Write(string path, string content)
    {
        var fresh = path + ".new";
        File.Delete(fresh);
        var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        using (var file = new FileStream(fresh, options))
        {
            file.Write(Encoding.UTF8.GetBytes(content));
            file.Flush(flushToDisk: true);
        }
        File.Move(fresh, path, overwrite: true);
    }
}
