using System.Runtime.InteropServices;
using System.Runtime.Versioning;
using System.Security.Principal;
using Furlough.Engine;

namespace Furlough.Platform.Windows;

/// <summary>
/// Keeps an account from signing in, at the machine or from afar, by the system's own rights that deny it: they hold
/// for accounts of this machine and of a directory alike.
/// </summary>
[SupportedOSPlatform("windows")]
internal static unsafe partial class SignInRights
{
    private static readonly string[] Denials = ["SeDenyInteractiveLogonRight", "SeDenyRemoteInteractiveLogonRight"];

    /// <summary>Which of the denials hold for an account now; null where the system does not keep them.</summary>
    internal static string? Record(string sid) => Native.IsCompatible ? null : string.Join(' ', Held(sid));

    /// <summary>Keeps an account out.</summary>
    internal static void Bar(string sid)
    {
        if (Denials.Except(Held(sid)).ToArray() is { Length: > 0 } missing)
            Change(sid, missing, adds: true);
    }

    /// <summary>Lets an account in as it was when it was recorded.</summary>
    internal static void Allow(string sid, string record)
    {
        if (Held(sid).Except(record.Split(' ')).ToArray() is { Length: > 0 } ours)
            Change(sid, ours, adds: false);
    }

    private static List<string> Held(string sid) => WithPolicy<List<string>>(sid, (policy, account) =>
        {
            const uint none = 0xC0000034;
            Native.UnicodeString* rights;
            uint count;
            var code = LsaEnumerateAccountRights(policy, account, &rights, &count);
            if (code == none)
                return [];
            Native.Check(code, sid);
            try
            {
                List<string> held = [];
                for (var i = 0; i < count; i++)
                    held.Add(new string(rights[i].Buffer, 0, rights[i].Length / sizeof(char)));
                return [.. held.Where(Denials.Contains)];
            }
            finally
            {
                _ = LsaFreeMemory(rights);
            }
        });

    private static void Change(string sid, string[] rights, bool adds) => WithPolicy(sid, (policy, account) =>
        {
            foreach (var right in rights)
                fixed (char* text = right)
                {
                    var name = new Native.UnicodeString
                    {
                        Length = (ushort)(right.Length * sizeof(char)),
                        MaximumLength = (ushort)(right.Length * sizeof(char)),
                        Buffer = text,
                    };
                    Native.Check(
                        adds
                            ? LsaAddAccountRights(policy, account, &name, 1)
                            : LsaRemoveAccountRights(policy, account, 0, &name, 1),
                        sid
                    );
                }
            return true;
        });

    private delegate T PolicyCall<T>(nint policy, byte* account);

    private static T WithPolicy<T>(string sid, PolicyCall<T> call)
    {
        const uint viewLocal = 0x1,
            createAccount = 0x10,
            lookupNames = 0x800;
        var identifier = new SecurityIdentifier(sid);
        var bytes = new byte[identifier.BinaryLength];
        identifier.GetBinaryForm(bytes, 0);
        var attributes = new Native.ObjectAttributes { Length = sizeof(Native.ObjectAttributes) };
        nint policy;
        Native.Check(
            LsaOpenPolicy(null, &attributes, viewLocal | createAccount | lookupNames, &policy),
            "the system's policy"
        );
        try
        {
            fixed (byte* account = bytes)
                return call(policy, account);
        }
        finally
        {
            _ = LsaClose(policy);
        }
    }

    [LibraryImport("advapi32")]
    private static partial uint LsaOpenPolicy(
        Native.UnicodeString* system,
        Native.ObjectAttributes* attributes,
        uint access,
        nint* policy
    );

    [LibraryImport("advapi32")]
    private static partial uint LsaEnumerateAccountRights(
        nint policy,
        byte* account,
        Native.UnicodeString** rights,
        uint* count
    );

    [LibraryImport("advapi32")]
    private static partial uint LsaAddAccountRights(
        nint policy,
        byte* account,
        Native.UnicodeString* rights,
        uint count
    );

    [LibraryImport("advapi32")]
    private static partial uint LsaRemoveAccountRights(
        nint policy,
        byte* account,
        byte all,
        Native.UnicodeString* rights,
        uint count
    );

    [LibraryImport("advapi32")]
    private static partial uint LsaFreeMemory(void* memory);

    [LibraryImport("advapi32")]
    private static partial uint LsaClose(nint policy);
}
