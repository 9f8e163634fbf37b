using System.Runtime.InteropServices;
using Furlough.Engine;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>The system calls that the adapters use. Errors are read at once and become <see cref="IoFault"/>.</summary>
internal static unsafe partial class Native
{
    private static readonly bool Arm = RuntimeInformation.ProcessArchitecture == Architecture.Arm64;

    internal const int AtCurrentFolder = -100;
    internal const int ReadOnly = 0,
        WriteOnly = 1,
        ReadWrite = 2,
        Create = 0x40,
        Exclusive = 0x80,
        Append = 0x400,
        NonBlocking = 0x800,
        CloseOnExec = 0x80000;
    internal static readonly int Folder = Arm ? 0x4000 : 0x10000;
    internal static readonly int NoFollow = Arm ? 0x8000 : 0x20000;
    internal static readonly int Direct = Arm ? 0x10000 : 0x4000;
    internal const int PathOnly = 0x200000;
    internal const int NoFollowAt = 0x100,
        EmptyPath = 0x1000,
        RemoveFolder = 0x200;
    internal const uint NoReplace = 1,
        Exchange = 2;
    internal const int SeekData = 3,
        SeekHole = 4;

    [StructLayout(LayoutKind.Explicit, Size = 256)]
    internal struct Statx
    {
        [FieldOffset(8)]
        public ulong Attributes;

        [FieldOffset(16)]
        public uint Links;

        [FieldOffset(20)]
        public uint Owner;

        [FieldOffset(24)]
        public uint Group;

        [FieldOffset(28)]
        public ushort Mode;

        [FieldOffset(32)]
        public ulong Inode;

        [FieldOffset(40)]
        public long Size;

        [FieldOffset(48)]
        public long Blocks;

        [FieldOffset(96)]
        public long ChangedSeconds;

        [FieldOffset(104)]
        public uint ChangedNanoseconds;

        [FieldOffset(112)]
        public long ModifiedSeconds;

        [FieldOffset(120)]
        public uint ModifiedNanoseconds;

        [FieldOffset(136)]
        public uint DeviceMajor;

        [FieldOffset(140)]
        public uint DeviceMinor;

        [FieldOffset(144)]
        public ulong MountId;
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct TimeSpec
    {
        public long Seconds;
        public long Nanoseconds;
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct StatFs
    {
        public long Type,
            BlockSize;
        public ulong Blocks,
            Free,
            Available,
            Files,
            FilesFree;
        public long Id,
            NameLength,
            FragmentSize,
            Flags;
        public fixed long Spare[4];
    }

    [StructLayout(LayoutKind.Sequential)]
    internal struct OpenHow
    {
        public ulong Flags,
            Mode,
            Resolve;
    }

    /// <summary>Flags of a file beyond its mode (<c>struct fsxattr</c>).</summary>
    [StructLayout(LayoutKind.Sequential, Size = 28)]
    internal struct FileFlags
    {
        public uint Flags,
            Extent,
            Extents,
            Project;
    }

    internal const nuint GetFileFlags = 0x801C581F,
        SetFileFlags = 0x401C5820;
    internal const uint InheritsProject = 0x200;

    [StructLayout(LayoutKind.Sequential)]
    internal struct FileLock
    {
        public short Type,
            Whence;
        public long Start,
            Length;
        public int Process;
    }

    [LibraryImport("libc", EntryPoint = "openat", SetLastError = true)]
    private static partial int OpenAt(int folder, byte* name, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "statx", SetLastError = true)]
    internal static partial int StatxAt(int folder, byte* name, int flags, uint mask, Statx* result);

    [LibraryImport("libc", EntryPoint = "getdents64", SetLastError = true)]
    internal static partial nint GetDents(int folder, byte* buffer, nint size);

    [LibraryImport("libc", EntryPoint = "mkdirat", SetLastError = true)]
    internal static partial int MakeDirAt(int folder, byte* name, uint mode);

    [LibraryImport("libc", EntryPoint = "unlinkat", SetLastError = true)]
    internal static partial int UnlinkAt(int folder, byte* name, int flags);

    [LibraryImport("libc", EntryPoint = "renameat2", SetLastError = true)]
    internal static partial int RenameAt(int from, byte* name, int to, byte* newName, uint flags);

    [LibraryImport("libc", EntryPoint = "linkat", SetLastError = true)]
    internal static partial int LinkAt(int from, byte* name, int to, byte* newName, int flags);

    [LibraryImport("libc", EntryPoint = "symlinkat", SetLastError = true)]
    internal static partial int SymlinkAt(byte* target, int folder, byte* name);

    [LibraryImport("libc", EntryPoint = "readlinkat", SetLastError = true)]
    internal static partial nint ReadLinkAt(int folder, byte* name, byte* buffer, nint size);

    [LibraryImport("libc", EntryPoint = "mkfifoat", SetLastError = true)]
    internal static partial int MakeFifoAt(int folder, byte* name, uint mode);

    [LibraryImport("libc", EntryPoint = "fchownat", SetLastError = true)]
    internal static partial int ChownAt(int folder, byte* name, uint owner, uint group, int flags);

    [LibraryImport("libc", EntryPoint = "fchown", SetLastError = true)]
    internal static partial int Chown(int file, uint owner, uint group);

    [LibraryImport("libc", EntryPoint = "fchmod", SetLastError = true)]
    internal static partial int Chmod(int file, uint mode);

    [LibraryImport("libc", EntryPoint = "fchmodat", SetLastError = true)]
    internal static partial int ChmodAt(int folder, byte* name, uint mode, int flags);

    [LibraryImport("libc", EntryPoint = "utimensat", SetLastError = true)]
    internal static partial int TimesAt(int folder, byte* name, TimeSpec* times, int flags);

    [LibraryImport("libc", EntryPoint = "futimens", SetLastError = true)]
    internal static partial int Times(int file, TimeSpec* times);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    internal static partial int Sync(int file);

    [LibraryImport("libc", EntryPoint = "syncfs", SetLastError = true)]
    internal static partial int SyncVolume(int file);

    [LibraryImport("libc", EntryPoint = "pread", SetLastError = true)]
    internal static partial nint Read(int file, byte* buffer, nint size, long offset);

    [LibraryImport("libc", EntryPoint = "pwrite", SetLastError = true)]
    internal static partial nint Write(int file, byte* buffer, nint size, long offset);

    [LibraryImport("libc", EntryPoint = "ftruncate", SetLastError = true)]
    internal static partial int Truncate(int file, long size);

    [LibraryImport("libc", EntryPoint = "lseek", SetLastError = true)]
    internal static partial long Seek(int file, long offset, int whence);

    [LibraryImport("libc", EntryPoint = "fcntl", SetLastError = true)]
    internal static partial int Control(int file, int command, nint value);

    [LibraryImport("libc", EntryPoint = "posix_fadvise")]
    internal static partial int Advise(int file, long offset, long length, int advice);

    [LibraryImport("libc", EntryPoint = "flistxattr", SetLastError = true)]
    internal static partial nint ListAttributes(int file, byte* buffer, nint size);

    [LibraryImport("libc", EntryPoint = "llistxattr", SetLastError = true)]
    internal static partial nint ListAttributesAt(byte* path, byte* buffer, nint size);

    [LibraryImport("libc", EntryPoint = "fgetxattr", SetLastError = true)]
    internal static partial nint GetAttribute(int file, byte* name, byte* buffer, nint size);

    [LibraryImport("libc", EntryPoint = "fsetxattr", SetLastError = true)]
    internal static partial int SetAttribute(int file, byte* name, byte* value, nint size, int flags);

    [LibraryImport("libc", EntryPoint = "fremovexattr", SetLastError = true)]
    internal static partial int RemoveAttribute(int file, byte* name);

    [LibraryImport("libc", EntryPoint = "fstatfs", SetLastError = true)]
    internal static partial int StatVolume(int file, StatFs* result);

    [LibraryImport("libc", EntryPoint = "setpriority", SetLastError = true)]
    internal static partial int SetPriority(int which, int who, int niceness);

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    internal static partial nint SetDiskPriority(nint call, int which, int who, int priority);

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    internal static partial nint System(nint call, nint first, nint second);

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    private static partial nint OpenBelow(nint call, int folder, byte* name, OpenHow* how, nint size);

    [LibraryImport("libc", EntryPoint = "ioctl", SetLastError = true)]
    internal static partial int Ask(int file, nuint request, FileFlags* flags);

    [LibraryImport("libc", EntryPoint = "fanotify_init", SetLastError = true)]
    internal static partial int WatchInit(uint flags, uint openFlags);

    [LibraryImport("libc", EntryPoint = "fanotify_mark", SetLastError = true)]
    internal static partial int WatchMark(int watch, uint flags, ulong events, int folder, byte* name);

    [LibraryImport("libc", EntryPoint = "read", SetLastError = true)]
    internal static partial nint ReadPlain(int file, byte* buffer, nint size);

    [LibraryImport("libc", EntryPoint = "kill", SetLastError = true)]
    internal static partial int Signal(int process, int signal);

    [LibraryImport("libc", EntryPoint = "geteuid")]
    internal static partial uint EffectiveUser();

    /// <summary>Opens a path as the system walks it: for the roots of volumes alone.</summary>
    internal static SafeFileHandle OpenRoot(string point, int flags)
    {
        fixed (byte* bytes = LinuxName.ToBytes(point))
            return Opened(OpenAt(AtCurrentFolder, bytes, flags | CloseOnExec, 0), point);
    }

    /// <summary>
    /// Opens a name below a folder and on its volume: no link is followed, nothing that is mounted there entered. A
    /// system older than that call checks less on its own; then callers compare the volumes.
    /// </summary>
    internal static SafeFileHandle Open(int folder, string name, int flags, string path, uint mode = 0x180)
    {
        const int openBelow = 437,
            notThere = 38,
            otherVolume = 18;
        const ulong staysOnMount = 1,
            noMagicLinks = 2,
            noLinks = 4,
            staysBelow = 8;
        fixed (byte* bytes = LinuxName.ToBytes(name))
        {
            if (s_opensBelow)
            {
                var how = new OpenHow
                {
                    Flags = (ulong)(flags | CloseOnExec),
                    Mode = (flags & Create) != 0 ? mode : 0,
                    Resolve = staysOnMount | noMagicLinks | noLinks | staysBelow,
                };
                var opened = (int)OpenBelow(openBelow, folder, bytes, &how, sizeof(OpenHow));
                if (opened < 0 && Marshal.GetLastPInvokeError() == otherVolume)
                    throw new IoFault(IoReason.OtherVolume, path, "another volume is mounted here");
                if (opened >= 0 || Marshal.GetLastPInvokeError() != notThere)
                    return Opened(opened, path);
                s_opensBelow = false;
            }
            return Opened(OpenAt(folder, bytes, flags | CloseOnExec, mode), path);
        }
    }

    private static volatile bool s_opensBelow = true;

    private static SafeFileHandle Opened(int file, string path) =>
        file >= 0 ? new SafeFileHandle(file, ownsHandle: true) : throw Last(path);

    /// <summary>Facts of a name, or of the folder itself for "". Null when there is no such name.</summary>
    internal static Statx? TryStat(int folder, string name, string path)
    {
        Statx result;
        const uint basicAndMount = 0x7ff | 0x1000;
        fixed (byte* bytes = LinuxName.ToBytes(name))
        {
            if (StatxAt(folder, bytes, NoFollowAt | (name.Length == 0 ? EmptyPath : 0), basicAndMount, &result) == 0)
                return result;
        }
        return Marshal.GetLastPInvokeError() == 2 ? null : throw Last(path);
    }

    /// <summary>Throws the fault of the last call when it failed.</summary>
    internal static void Check(nint result, string path)
    {
        if (result < 0)
            throw Last(path);
    }

    /// <summary>The fault of the last call.</summary>
    internal static IoFault Last(string path)
    {
        var error = Marshal.GetLastPInvokeError();
        var reason = error switch
        {
            2 => IoReason.NotFound,
            17 => IoReason.Exists,
            1 or 13 => IoReason.Denied,
            28 or 122 => IoReason.NoSpace,
            30 => IoReason.ReadOnly,
            5 => IoReason.Unreadable,
            6 or 19 or 116 => IoReason.Gone,
            39 => IoReason.NotEmpty,
            20 => IoReason.NotAFolder,
            40 => IoReason.BehindLink,
            18 => IoReason.OtherVolume,
            22 or 38 or 95 => IoReason.NotSupported,
            _ => IoReason.Other,
        };
        return new IoFault(reason, path, Marshal.GetPInvokeErrorMessage(error).ToLowerInvariant());
    }
}
