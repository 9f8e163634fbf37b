using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// The rights over files that an account has, taken on by one thread. The system leaves all privileges over files aside
/// meanwhile, so whatever the account has put in the way, nothing can be done with it that the account could not do
/// itself.
/// </summary>
internal sealed unsafe class AccountRights : IDisposable
{
    private static readonly bool Arm = RuntimeInformation.ProcessArchitecture == Architecture.Arm64;

    /// <summary>
    /// Numbers of system calls: the C library's own function for groups would change them for every thread.
    /// </summary>
    private static readonly nint SetGroups = Arm ? 159 : 116,
        SetFileUser = Arm ? 151 : 122,
        SetFileGroup = Arm ? 152 : 123;

    private readonly int _thread = Environment.CurrentManagedThreadId;

    private AccountRights() { }

    /// <summary>Takes an account's rights on. Only the system itself can; for anybody else nothing changes.</summary>
    internal static IDisposable Take(LinuxVolumes volumes, uint user, string account)
    {
        if (Native.EffectiveUser() != 0 || user == 0)
            return OwnRights.Kept;
        var entry = Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == account);
        return Take(
            new PasswdEntry(account, user, entry?.Group ?? user, ""),
            [.. Passwd.Groups(volumes.Root).Where(g => g.Members.Contains(account)).Select(g => g.Number)]
        );
    }

    /// <summary>The same for an entry of the account database.</summary>
    internal static IDisposable Take(LinuxVolumes volumes, PasswdEntry account) =>
        Take(volumes, account.User, account.Name);

    private static AccountRights Take(PasswdEntry account, uint[] groups)
    {
        var taken = new AccountRights();
        try
        {
            fixed (uint* list = groups.Length == 0 ? [account.Group] : groups)
                Require(
                    Native.System(SetGroups, groups.Length == 0 ? 1 : groups.Length, (nint)list) == 0,
                    account.Name
                );
            Native.System(SetFileGroup, (nint)account.Group, 0);
            Native.System(SetFileUser, (nint)account.User, 0);
            // These two say what was set before; asked again with a number that cannot be, they say what is set now.
            Require(
                (uint)Native.System(SetFileGroup, -1, 0) == account.Group
                    && (uint)Native.System(SetFileUser, -1, 0) == account.User,
                account.Name
            );
            return taken;
        }
        catch
        {
            taken.Dispose();
            throw;
        }
    }

    public void Dispose()
    {
        if (_thread != Environment.CurrentManagedThreadId)
            Environment.FailFast("Rights that one thread has taken on were to be laid down by another.");
        Native.System(SetFileUser, 0, 0);
        Native.System(SetFileGroup, 0, 0);
        Native.System(SetGroups, 0, 0);
        if (Native.System(SetFileUser, -1, 0) != 0)
            Environment.FailFast("The system's own rights could not be taken back.");
    }

    private static void Require(bool done, string account)
    {
        if (!done)
            throw new Fault(
                FaultKinds.RightsNotTaken,
                $"The agent could not take on the rights of {account}: it must run as root with leave to change users and groups.",
                "Start the agent as root."
            );
    }
}
