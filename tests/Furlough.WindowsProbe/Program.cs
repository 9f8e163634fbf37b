using System.Reflection;
using System.Runtime.InteropServices;
using System.Runtime.Versioning;
using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Platform.Windows;
using Xunit;

[assembly: SupportedOSPlatform("windows")]

// A program of its own that runs on Windows, or beside the agent under Wine: it tells what the system says and runs the contracts of the ports.
//   where ID          the system's own answer where a user folder is
//   contract LETTER   the contract of folders on a volume: a line for each test, exit code 1 when one fails
return args switch
{
    ["where", var id] => Where(Guid.Parse(id)),
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

static int Contract(string letter)
{
    var failed = 0;
    using var volume = new WindowsVolumes().Require(WindowsVolumes.Survey([]).Single(v => v.Root == letter).Identity);
    foreach (var test in typeof(FolderContractTests).GetMethods().Where(m => m.GetCustomAttribute<FactAttribute>() is not null))
    {
        try
        {
            using var root = volume.OpenRoot();
            using var own = root.MakeFolder($"{test.Name[..20]}-{Guid.NewGuid():N}", 0x1C0);
            test.Invoke(new WindowsFolderContract(own), []);
            Console.WriteLine($"passed {test.Name}");
        }
        catch (TargetInvocationException error)
        {
            failed++;
            Console.WriteLine($"failed {test.Name}: {error.InnerException!.Message.ReplaceLineEndings(" ")}");
        }
    }
    return failed == 0 ? 0 : 1;
}

internal sealed class WindowsFolderContract(IFolder root) : FolderContractTests
{
    protected override IFolder Root => root;

    protected override bool HasLinks => false;

    protected override bool HasFurtherNames => true;

    protected override bool HasRights => false;
}

internal static unsafe partial class Shell
{
    [LibraryImport("shell32")]
    internal static partial int SHGetKnownFolderPath(Guid* id, uint flags, nint token, char** path);
}
