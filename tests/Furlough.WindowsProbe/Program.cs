using System.Runtime.InteropServices;
using System.Runtime.Versioning;
using Furlough.Engine.Checks;
using Furlough.Platform.Windows;
using Microsoft.Win32;

[assembly: SupportedOSPlatform("windows")]

// A program of its own that runs on Windows, or beside the agent under Wine: it tells what the system says and runs the
// contracts of the ports.
//   where ID          the system's own answer where a user folder is
//   settings KEY FILE   keeps a part of the signed-in account's registry as the settings file of another account
//   show FILE KEY...    what such a file says, as the system reads it
//   hold FILE           keeps a file for itself until standard input ends
//   attached LETTER     how the agent finds a volume attached, and what it is made of
//   contract LETTER   the contract of folders on a volume: a line for each test, exit code 1 when one fails
return args switch
{
    ["where", var id] => Where(Guid.Parse(id)),
    ["settings", var key, var file] => Save(key, file),
    ["show", var file, .. var keys] => WithPrivileges(() => Show(file, keys)),
    ["hold", var file] => Hold(file),
    ["attached", var letter] => Attached(letter),
    ["contract", var letter] => Contract(letter),
    _ => 2,
};

static unsafe int Where(Guid id)
{
    char* path;
    var code = Shell.SHGetKnownFolderPath(&id, 0, 0, &path);
    Console.WriteLine(code == 0 ? new string(path) : $"error {code:x8}");
    return code == 0 ? 0 : 1;
}

static int Save(string key, string file) =>
    WithPrivileges(() =>
    {
        using var part = Registry.CurrentUser.OpenSubKey(key)!;
        return Native.RegSaveKeyW(part.Handle.DangerousGetHandle(), file, 0);
    });

static int Show(string file, IReadOnlyList<string> keys)
{
    const string name = "look";
    if (Native.RegLoadKeyW(Native.UsersKey, name, file) is var error and not 0)
        return error;
    foreach (var path in keys)
    {
        using var key = Registry.Users.OpenSubKey($@"{name}\{path}");
        foreach (var value in (key?.GetValueNames() ?? []).Order())
            Console.WriteLine(
                $"{path[(path.LastIndexOf('\\') + 1)..]}: {value} {key!.GetValueKind(value)} "
                    + $"{key.GetValue(value, null, RegistryValueOptions.DoNotExpandEnvironmentNames)}"
            );
    }
    return Native.RegUnLoadKeyW(Native.UsersKey, name);
}

static int WithPrivileges(Func<int> call)
{
    Native.TakePrivileges();
    return call();
}

static int Hold(string file)
{
    using var held = File.Open(file, FileMode.Open, FileAccess.ReadWrite, FileShare.None);
    Console.WriteLine("held");
    Console.In.ReadLine();
    return 0;
}

static int Attached(string letter)
{
    var found = WindowsVolumes.Survey([]).Single(v => v.Root == letter);
    Console.WriteLine($"{found.Attached} {found.Medium}");
    return 0;
}

static int Contract(string letter)
{
    var failed = 0;
    using var volume = new WindowsVolumes().Require(WindowsVolumes.Survey([]).Single(v => v.Root == letter).Identity);
    foreach (var (what, check) in FolderChecks.All)
    {
        try
        {
            using var root = volume.OpenRoot();
            using var own = root.MakeFolder(Guid.NewGuid().ToString("N"), 0x1C0);
            check(own, new FolderTraits(Links: false, FurtherNames: true, Rights: false));
            Console.WriteLine($"passed {what}");
        }
        catch (Exception error) when (error is CheckFailedException or Furlough.Engine.Fault)
        {
            failed++;
            Console.WriteLine($"failed {what}: {error.Message}");
        }
    }
    return failed == 0 ? 0 : 1;
}

internal static unsafe partial class Shell
{
    [LibraryImport("shell32")]
    internal static partial int SHGetKnownFolderPath(Guid* id, uint flags, nint token, char** path);
}
