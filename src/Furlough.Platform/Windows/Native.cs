using System.Runtime.InteropServices;
using Furlough.Engine;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Windows;

/// <summary>
/// The system's own calls on files. Names are always relative to an open folder, and links are opened themselves.
/// </summary>
internal static unsafe partial class Native
{
    internal const uint ReadData = 0x1,
        WriteData = 0x2,
        AppendData = 0x4,
        ReadAttributes = 0x80,
        WriteAttributes = 0x100,
        Delete = 0x10000,
        ReadControl = 0x20000,
        WriteDac = 0x40000,
        WriteOwner = 0x80000,
        Synchronize = 0x100000;
    internal const uint ShareAll = 7,
        ShareNothing = 0;
    internal const uint OpenExisting = 1,
        CreateNew = 2;
    internal const uint Folder = 0x1,
        NoCache = 0x8,
        Synchronous = 0x20,
        NoFolder = 0x40,
        ForBackup = 0x4000,
        LinkItself = 0x200000;
    internal const uint IsReadOnly = 0x1,
        IsHidden = 0x2,
        IsSystem = 0x4,
        IsFolder = 0x10,
        IsArchive = 0x20,
        IsOrdinary = 0x80,
        IsLink = 0x400,
        IsNotIndexed = 0x2000;
    internal const uint ReadLinkRecord = 0x900A8,
        WriteLinkRecord = 0x900A4;
    internal const uint NotFound = 0xC0000034,
        PathNotFound = 0xC000003A,
        NoMoreFiles = 0x80000006,
        BufferOverflow = 0x80000005,
        SharingViolation = 0xC0000043,
        CannotDelete = 0xC0000121,
        Collision = 0xC0000035,
        NotImplemented = 0xC0000002,
        InvalidRequest = 0xC0000010,
        AccessDenied = 0xC0000022,
        NotSupported = 0xC00000BB,
        InvalidHandle = 0xC0000008,
        BufferTooSmall = 0xC0000023;

    [StructLayout(LayoutKind.Sequential)]
    internal struct UnicodeString
    {
        internal ushort Length,
            MaximumLength;
        internal char* Buffer;
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct ObjectAttributes
    {
        internal int Length;
        internal nint RootDirectory;
        internal UnicodeString* ObjectName;
        internal uint Attributes;
        internal nint SecurityDescriptor,
            SecurityQualityOfService;
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct Status
    {
        internal nint Code,
            Information;
    }

    /// <summary>Times in 100 ns since 1601; 0 leaves one as it is.</summary>
    [StructLayout(LayoutKind.Sequential)]
    internal struct Basic
    {
        internal long Created,
            Accessed,
            Written,
            Changed;
        internal uint Attributes;
        private readonly uint _pad;
    }

    /// <summary>The fixed part of all that is known of a file.</summary>
    [StructLayout(LayoutKind.Sequential)]
    internal struct All
    {
        internal Basic Basic;
        internal long AllocatedBytes,
            SizeBytes;
        internal uint Links;
        internal byte DeletePending,
            Directory;
        private readonly ushort _pad;
        internal long Index;
        private fixed byte _rest[600];
    }

    [LibraryImport("ntdll")]
    private static partial uint NtCreateFile(
        nint* handle,
        uint access,
        ObjectAttributes* attributes,
        Status* status,
        long* size,
        uint fileAttributes,
        uint share,
        uint disposition,
        uint options,
        void* extended,
        uint extendedLength
    );

    [LibraryImport("ntdll")]
    internal static partial uint NtQueryInformationFile(nint file, Status* status, void* buffer, uint length, int kind);

    [LibraryImport("ntdll")]
    internal static partial uint NtSetInformationFile(nint file, Status* status, void* buffer, uint length, int kind);

    [LibraryImport("ntdll")]
    internal static partial uint NtQueryDirectoryFile(
        nint file,
        nint wake,
        nint call,
        nint context,
        Status* status,
        void* buffer,
        uint length,
        int kind,
        byte single,
        UnicodeString* pattern,
        byte restart
    );

    [LibraryImport("ntdll")]
    internal static partial uint NtFsControlFile(
        nint file,
        nint wake,
        nint call,
        nint context,
        Status* status,
        uint control,
        void* input,
        uint inputLength,
        void* output,
        uint outputLength
    );

    [LibraryImport("ntdll")]
    internal static partial uint NtDeviceIoControlFile(
        nint device,
        nint wake,
        nint call,
        nint context,
        Status* status,
        uint control,
        void* input,
        uint inputLength,
        void* output,
        uint outputLength
    );

    [LibraryImport("ntdll")]
    internal static partial uint NtFlushBuffersFile(nint file, Status* status);

    [LibraryImport("ntdll")]
    internal static partial uint NtQuerySecurityObject(
        nint handle,
        uint parts,
        void* buffer,
        uint length,
        uint* needed
    );

    [LibraryImport("ntdll")]
    internal static partial uint NtSetSecurityObject(nint handle, uint parts, void* descriptor);

    [LibraryImport("ntdll")]
    private static partial uint RtlNtStatusToDosError(uint status);

    [LibraryImport("ntdll")]
    private static partial uint RtlAdjustPrivilege(uint privilege, byte enable, byte thread, byte* was);

    [LibraryImport("kernel32", StringMarshalling = StringMarshalling.Utf16, SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    internal static partial bool GetVolumeInformationW(
        string root,
        char* label,
        uint labelLength,
        uint* serial,
        uint* longestName,
        uint* flags,
        char* fileSystem,
        uint fileSystemLength
    );

    [LibraryImport("kernel32", StringMarshalling = StringMarshalling.Utf16, SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    internal static partial bool GetDiskFreeSpaceExW(string root, long* available, long* size, long* free);

    [LibraryImport("kernel32", StringMarshalling = StringMarshalling.Utf16, SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    internal static partial bool GetDiskFreeSpaceW(
        string root,
        uint* sectors,
        uint* sectorBytes,
        uint* freeClusters,
        uint* clusters
    );

    [LibraryImport("kernel32", StringMarshalling = StringMarshalling.Utf16)]
    internal static partial uint GetDriveTypeW(string root);

    [LibraryImport("kernel32")]
    internal static partial uint GetLogicalDrives();

    [LibraryImport("kernel32", SetLastError = true)]
    internal static partial SafeFileHandle ReOpenFile(nint file, uint access, uint share, uint flags);

    [LibraryImport("advapi32", StringMarshalling = StringMarshalling.Utf16, SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    internal static partial bool ConvertStringSecurityDescriptorToSecurityDescriptorW(
        string text,
        uint revision,
        nint* descriptor,
        uint* length
    );

    /// <summary>All accounts' parts of the registry.</summary>
    internal const nint UsersKey = unchecked((nint)(int)0x80000003);

    /// <summary>Errors of the registry.</summary>
    internal const int SharingError = 32,
        NoRegistryFile = 1017,
        DamagedRegistry = 1009;

    [LibraryImport("advapi32", StringMarshalling = StringMarshalling.Utf16)]
    internal static partial int RegLoadKeyW(nint key, string name, string file);

    [LibraryImport("advapi32", StringMarshalling = StringMarshalling.Utf16)]
    internal static partial int RegUnLoadKeyW(nint key, string name);

    [LibraryImport("advapi32", StringMarshalling = StringMarshalling.Utf16)]
    internal static partial int RegSaveKeyW(nint key, string file, nint security);

    [LibraryImport("kernel32")]
    internal static partial nint LocalFree(nint memory);

    [LibraryImport("shell32")]
    internal static partial int SHGetKnownFolderPath(Guid* id, uint flags, nint token, char** path);

    [LibraryImport("ole32")]
    internal static partial void CoTaskMemFree(void* memory);

    /// <summary>Whether this is the compatible system of another one, which caches and links otherwise.</summary>
    internal static bool IsCompatible { get; } =
        NativeLibrary.TryLoad("ntdll", out var library)
        && NativeLibrary.TryGetExport(library, "wine_get_version", out _);

    /// <summary>Lets the agent read and write what belongs to others, as a backup does.</summary>
    internal static void TakePrivileges()
    {
        const uint security = 8,
            takeOwnership = 9,
            backup = 17,
            restore = 18,
            makeLinks = 35;
        byte was;
        foreach (var privilege in (ReadOnlySpan<uint>)[security, takeOwnership, backup, restore, makeLinks])
            _ = RtlAdjustPrivilege(privilege, 1, 0, &was);
    }

    /// <summary>Opens or makes an entry of an open folder; with no folder, a whole name of the system's own.</summary>
    internal static SafeFileHandle Open(
        nint folder,
        string name,
        uint access,
        uint share,
        uint disposition,
        uint options,
        string path
    )
    {
        var code = TryOpen(folder, name, access, share, disposition, options, out var handle);
        Check(code, path);
        return handle!;
    }

    internal static uint TryOpen(
        nint folder,
        string name,
        uint access,
        uint share,
        uint disposition,
        uint options,
        out SafeFileHandle? handle
    )
    {
        fixed (char* text = name)
        {
            var unicode = new UnicodeString
            {
                Length = (ushort)(name.Length * 2),
                MaximumLength = (ushort)(name.Length * 2),
                Buffer = text,
            };
            var attributes = new ObjectAttributes
            {
                Length = sizeof(ObjectAttributes),
                RootDirectory = folder,
                ObjectName = &unicode,
            };
            Status status;
            nint opened;
            var code = NtCreateFile(
                &opened,
                access | Synchronize,
                &attributes,
                &status,
                null,
                IsOrdinary,
                share,
                disposition,
                options | Synchronous | ForBackup | LinkItself,
                null,
                0
            );
            handle = code == 0 ? new SafeFileHandle(opened, ownsHandle: true) : null;
            return code;
        }
    }

    internal static void Check(uint status, string path)
    {
        if (status is 0 or BufferOverflow)
            return;
        throw Fault(status, path);
    }

    internal static IoFault Fault(uint status, string path) => Fault((int)RtlNtStatusToDosError(status), path, status);

    /// <summary>The fault of an error by the system's older numbers.</summary>
    internal static IoFault Fault(int error, string path, uint status = 0) =>
        new(
            ReasonOf(status, error),
            path,
            Marshal.GetPInvokeErrorMessage(error).TrimEnd('.', ' ', '\r', '\n') is { Length: > 0 } words
                ? $"{char.ToLowerInvariant(words[0])}{words[1..]}"
                : $"error {error}"
        );

    /// <summary>The fault behind an exception of the framework.</summary>
    internal static IoFault Fault(IOException error, string path) =>
        new(ReasonOf(0, error.HResult & 0xFFFF), path, error.Message.TrimEnd('.', ' '));

    private static IoReason ReasonOf(uint status, int error) =>
        (status, error) switch
        {
            (NotFound or PathNotFound, _) or (_, 2 or 3) => IoReason.NotFound,
            (Collision, _) or (_, 80 or 183) => IoReason.Exists,
            (_, 5 or 32 or 33 or 1314 or 1307) => IoReason.Denied,
            (_, 39 or 112) => IoReason.NoSpace,
            (_, 19) => IoReason.ReadOnly,
            (_, 23 or 1117 or 483 or 1392) => IoReason.Unreadable,
            (_, 21 or 55 or 1167 or 1006 or 433) => IoReason.Gone,
            (_, 145) => IoReason.NotEmpty,
            (_, 267) => IoReason.NotAFolder,
            (_, 17) => IoReason.OtherVolume,
            (_, 1 or 50) => IoReason.NotSupported,
            _ => IoReason.Other,
        };
}
