namespace Furlough.Engine.Ports;

/// <summary>What an entry of a folder is.</summary>
public enum NodeKind
{
    File,
    Folder,
    Link,
    Fifo,
    Socket,
    Device,
}

/// <summary>What a file system says about one node, read without following links.</summary>
/// <param name="SizeBytes">Length of a file in bytes.</param>
/// <param name="AllocatedBytes">Bytes that it takes on the volume; less than its length where it has holes.</param>
/// <param name="ModifiedNs">Modification time, nanoseconds since 1970.</param>
/// <param name="ChangedNs">Change time, nanoseconds since 1970: set by the system alone.</param>
/// <param name="FileId">Number of the node on its device.</param>
/// <param name="Links">Number of names that this node has.</param>
/// <param name="Mode">Permission bits with set-uid, set-gid and sticky.</param>
public readonly record struct NodeFacts(
    NodeKind Kind,
    long SizeBytes,
    long AllocatedBytes,
    long ModifiedNs,
    long ChangedNs,
    ulong Device,
    ulong FileId,
    long Links,
    uint Mode,
    uint Owner,
    uint Group
)
{
    /// <summary>What keeps it from being copied as it is.</summary>
    public NodeMarks Marks { get; init; }
}

/// <summary>What keeps a file or folder from being copied as it is.</summary>
[Flags]
public enum NodeMarks
{
    /// <summary>Nothing.</summary>
    None = 0,

    /// <summary>The file system lets nobody change it, or only append to it.</summary>
    Unchangeable = 1,

    /// <summary>The file system encrypts it: the copy would be readable for anyone who has the disk.</summary>
    Encrypted = 2,

    /// <summary>
    /// Its content is somewhere else, in the cloud or in a store of shared blocks: what can be read of the file itself
    /// is not all of it.
    /// </summary>
    NotHere = 4,
}

/// <summary>
/// A name in a folder. Names that are no valid text carry their odd bytes as lone surrogates U+DC80..U+DCFF.
/// </summary>
public readonly record struct FolderEntry(string Name, NodeKind Kind);

/// <summary>Extended attributes, access lists among them, sorted by name.</summary>
public sealed record Attributes(IReadOnlyList<KeyValuePair<string, byte[]>> Values)
{
    /// <summary>None.</summary>
    public static Attributes None { get; } = new([]);
}

/// <summary>Counts bytes while they pass; safe for several threads.</summary>
/// <param name="passing">Told of the bytes as they pass; may hold them up, or end the work by throwing.</param>
public sealed class ByteCounter(Action<long>? passing = null)
{
    private long _bytes;

    /// <summary>Bytes counted so far.</summary>
    public long Bytes => Interlocked.Read(ref _bytes);

    /// <summary>Adds bytes that were read or written.</summary>
    public void Add(long bytes)
    {
        Interlocked.Add(ref _bytes, bytes);
        passing?.Invoke(bytes);
    }

    /// <summary>
    /// Adds bytes that need not be read or written: holes, and what was copied before; or takes bytes back, when a file
    /// is copied again.
    /// </summary>
    public void Skip(long bytes) => Interlocked.Add(ref _bytes, bytes);
}

/// <summary>
/// The digest of a file's content as it was read back. <paramref name="FromMedium"/> is false where a cache may have
/// answered.
/// </summary>
public readonly record struct ReadBack(UInt128 Digest, long SizeBytes, bool FromMedium);

/// <summary>An open file. Everything goes through the handle, never through a path again.</summary>
public interface IFileHandle : IDisposable
{
    /// <summary>Facts read again from the handle.</summary>
    NodeFacts Facts();

    /// <summary>Facts as they were when it was opened, or read last.</summary>
    NodeFacts Known { get; }

    /// <summary>
    /// Copies the content into an empty file, holes kept, and returns its digest (<see cref="ContentDigest"/>).
    /// </summary>
    UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop);

    /// <summary>
    /// The digest of the content as anyone who opens the file sees it, what is not on the medium yet included.
    /// </summary>
    UInt128 Digest(ByteCounter counter, CancellationToken stop) => ReadBack(counter, stop).Digest;

    /// <summary>Reads the whole content back, from the medium where the volume allows it.</summary>
    ReadBack ReadBack(ByteCounter counter, CancellationToken stop);

    /// <summary>The file's extended attributes.</summary>
    Attributes ReadAttributes();

    /// <summary>Sets owner, group, attributes, mode and modification time.</summary>
    void Apply(in NodeFacts facts, Attributes attributes);

    /// <summary>Opens the content for reading from the start; for Furlough's own small files.</summary>
    Stream Read();

    /// <summary>Appends bytes; for Furlough's own small files.</summary>
    void Append(ReadOnlySpan<byte> bytes);

    /// <summary>Makes content and facts durable. An error here means that the file must be written again.</summary>
    void Flush();
}

/// <summary>An open folder. Names are single parts; links are never followed; nothing is overwritten.</summary>
public interface IFolder : IDisposable
{
    /// <summary>Facts of the folder itself, read again.</summary>
    NodeFacts Facts();

    /// <summary>All entries but "." and "..", in no particular sequence.</summary>
    IReadOnlyList<FolderEntry> List();

    /// <summary>Facts of an entry, or null when there is none.</summary>
    NodeFacts? Find(string name);

    /// <summary>Whether an entry has extended attributes; false where that cannot be asked.</summary>
    bool HasAttributes(string name);

    /// <summary>
    /// Whether something is kept about an entry that no copy has: further streams of data, attributes of a link or
    /// pipe.
    /// </summary>
    bool HasMoreThanIsCopied(string name, NodeKind kind) => false;

    /// <summary>Opens a folder below this one, on the same volume.</summary>
    IFolder OpenFolder(string name);

    /// <summary>
    /// Opens a folder below this one, also where a part of the same mounted volume with file numbers of its own begins.
    /// </summary>
    IFolder OpenSubvolume(string name) => OpenFolder(name);

    /// <summary>
    /// Lets what is made in this folder count for the same project, whose space is limited, as what is made in another
    /// one: only then can it be renamed into that.
    /// </summary>
    void CountWith(IFolder other) { }

    /// <summary>Makes and opens a folder.</summary>
    IFolder MakeFolder(string name, uint mode);

    /// <summary>Opens a regular file for reading, or for appending one's own.</summary>
    IFileHandle OpenFile(string name, bool append = false);

    /// <summary>Makes an empty file that only the system can read; fails when the name is taken.</summary>
    IFileHandle MakeFile(string name);

    /// <summary>The verbatim target of a symbolic link.</summary>
    string ReadLink(string name);

    /// <summary>Makes a symbolic link.</summary>
    void MakeLink(string name, string target);

    /// <summary>Gives a file of a folder on this volume a further name here.</summary>
    void MakeHardLink(string name, IFolder folder, string existing);

    /// <summary>Makes a named pipe.</summary>
    void MakeFifo(string name);

    /// <summary>Renames an entry to a free name of a folder on the same volume; never overwrites.</summary>
    void Move(string name, IFolder to, string newName);

    /// <summary>Removes a name that is not a folder.</summary>
    void RemoveFile(string name);

    /// <summary>Removes an empty folder.</summary>
    void RemoveFolder(string name);

    /// <summary>The folder's own extended attributes.</summary>
    Attributes ReadAttributes();

    /// <summary>Sets owner, group, attributes, mode and modification time of the folder itself.</summary>
    void Apply(in NodeFacts facts, Attributes attributes);

    /// <summary>
    /// Sets owner, group, mode and modification time of a link or named pipe; the link itself, not what it leads to.
    /// </summary>
    void ApplyTo(string name, in NodeFacts facts);

    /// <summary>Makes the folder's entries durable.</summary>
    void Flush();
}
