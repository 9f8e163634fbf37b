using Furlough.Engine;
using Furlough.Engine.Ports;

namespace Furlough.Platform.Windows;

/// <summary>
/// Edits a settings file so that nobody's change is lost (I6). This system has no exchange of two files: the former
/// content is set aside by a rename, compared with what was read, and the new one, written and flushed before, takes
/// its name, which is never overwritten. Whatever reads or edits the file next puts back what a crash left aside.
/// </summary>
internal static class WindowsContainerFile
{
    private const string Fresh = ".furlough-new",
        Former = ".furlough-former",
        Kept = ".furlough-kept";
    private const int LimitBytes = 8 << 20,
        Attempts = 20;

    /// <summary>A survey does not put back what an edit has set aside.</summary>
    private static readonly Lock OneAtATime = new();

    /// <summary>The content, or null when there is no such file.</summary>
    internal static byte[]? Read(IFolder folder, string name)
    {
        lock (OneAtATime)
        {
            PutBack(folder, name);
            return Content(folder, name);
        }
    }

    /// <summary>
    /// Replaces the content by what <paramref name="edit"/> makes of it; null on either side stands for no file.
    /// Durable on return.
    /// </summary>
    internal static void Edit(IFolder folder, string name, Func<byte[]?, byte[]?> edit)
    {
        var fresh = name + Fresh;
        lock (OneAtATime)
            for (var attempt = 0; attempt < Attempts; attempt++)
            {
                PutBack(folder, name);
                if (folder.Find(fresh) is not null)
                    folder.RemoveFile(fresh);
                var before = Content(folder, name);
                var after = edit(before);
                if (
                    after is null && before is null
                    || after is not null && before is not null && after.AsSpan().SequenceEqual(before)
                )
                    return;
                if (after is not null)
                    Write(folder, name, fresh, after, isNew: before is null);
                if (Replace(folder, name, before, isTakenAway: after is null))
                    return;
            }
        throw new IoFault(IoReason.Changed, name, "someone else keeps changing this settings file");
    }

    private static bool Replace(IFolder folder, string name, byte[]? before, bool isTakenAway)
    {
        var former = name + Former;
        if (before is not null)
        {
            folder.Move(name, folder, former);
            if (!before.AsSpan().SequenceEqual(Content(folder, former)))
                return false;
        }
        if (!isTakenAway)
        {
            try
            {
                folder.Move(name + Fresh, folder, name);
            }
            catch (IoFault fault) when (fault.Reason == IoReason.Exists)
            {
                return false;
            }
        }
        folder.Flush();
        if (before is not null)
            folder.RemoveFile(former);
        folder.Flush();
        return true;
    }

    /// <summary>
    /// What was set aside comes back. Where the new content has its name, it has served; where someone saved a file of
    /// the name while there was none, it is kept beside that, for people to look at.
    /// </summary>
    private static void PutBack(IFolder folder, string name)
    {
        var (former, kept) = (name + Former, name + Kept);
        if (folder.Find(former) is null)
            return;
        if (folder.Find(name) is null)
            folder.Move(former, folder, name);
        else if (folder.Find(name + Fresh) is null || folder.Find(kept) is not null)
            folder.RemoveFile(former);
        else
            folder.Move(former, folder, kept);
        folder.Flush();
    }

    private static byte[]? Content(IFolder folder, string name)
    {
        if (folder.Find(name) is not { } facts)
            return null;
        if (facts.Kind == NodeKind.Link)
            throw new IoFault(IoReason.BehindLink, name, "a link stands in the settings file's place");
        if (facts.SizeBytes > LimitBytes)
            throw new IoFault(IoReason.NotSupported, name, "the settings file is too large");
        using var file = folder.OpenFile(name);
        using var stream = file.Read();
        using var content = new MemoryStream();
        stream.CopyTo(content);
        return content.ToArray();
    }

    private static void Write(IFolder folder, string name, string fresh, byte[] content, bool isNew)
    {
        using var file = folder.MakeFile(fresh);
        file.Append(content);
        if (!isNew)
        {
            using var old = folder.OpenFile(name);
            file.Apply(file.Facts(), old.ReadAttributes());
        }
        file.Flush();
    }
}
