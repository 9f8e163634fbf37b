using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Edits a settings file so that nobody's change is lost (I6): the new content is written beside it and exchanged with
/// it in one operation; what comes out of the exchange must be the bytes that were read, otherwise it goes back and the
/// edit is made again.
/// </summary>
internal static class ContainerFile
{
    private const int LimitBytes = 8 << 20;
    private const int Attempts = 20;

    /// <summary>The content, or null when there is no such file.</summary>
    internal static byte[]? Read(LinuxFolder folder, string name)
    {
        if (folder.Find(name) is not { } facts)
            return null;
        if (facts.Kind == NodeKind.Link)
            throw new IoFault(IoReason.BehindLink, name, "a link stands in the settings file's place");
        using var file = (LinuxFile)folder.OpenFile(name);
        return file.ReadAll(LimitBytes);
    }

    /// <summary>
    /// Replaces the content by what <paramref name="edit"/> makes of it; null on either side stands for no file.
    /// Durable on return.
    /// </summary>
    /// <param name="whenNew">Owner and mode of a file that has to be made; one that is there must have that
    /// owner.</param>
    internal static void Edit(LinuxFolder folder, string name, NodeFacts whenNew, Func<byte[]?, byte[]?> edit)
    {
        var fresh = $"{name}.furlough-new";
        for (var attempt = 0; attempt < Attempts; attempt++)
        {
            var before = Read(folder, name);
            var after = edit(before);
            if (
                after is null && before is null
                || after is not null && before is not null && after.AsSpan().SequenceEqual(before)
            )
                return;
            if (folder.Find(name) is { } there && there.Owner != whenNew.Owner)
                throw new Fault(
                    FaultKinds.SettingOfAnother,
                    $"The settings file `{name}` belongs to number {there.Owner} and not to {whenNew.Owner}, whose setting it holds.",
                    "Give the file to its account, or have its administrator change the setting."
                );
            if (folder.Find(fresh) is not null)
                folder.RemoveFile(fresh);
            if (after is null)
            {
                if (!TakeAway(folder, name, fresh, before!))
                    continue;
                folder.Flush();
                return;
            }
            Write(folder, name, fresh, after, before is null ? whenNew : null);
            if (before is null)
            {
                try
                {
                    folder.Move(fresh, folder, name);
                }
                catch (IoFault fault) when (fault.Reason == IoReason.Exists)
                {
                    continue;
                }
            }
            else
            {
                folder.Exchange(fresh, name);
                if (!before.AsSpan().SequenceEqual(Read(folder, fresh)))
                {
                    folder.Exchange(fresh, name);
                    continue;
                }
                folder.RemoveFile(fresh);
            }
            folder.Flush();
            return;
        }
        throw new IoFault(IoReason.Changed, name, "someone else keeps changing this settings file");
    }

    private static bool TakeAway(LinuxFolder folder, string name, string aside, byte[] expected)
    {
        folder.Move(name, folder, aside);
        if (expected.AsSpan().SequenceEqual(Read(folder, aside)))
        {
            folder.RemoveFile(aside);
            return true;
        }
        folder.Move(aside, folder, name);
        return false;
    }

    private static void Write(LinuxFolder folder, string name, string fresh, byte[] content, NodeFacts? whenNew)
    {
        using var file = folder.MakeFile(fresh);
        file.Append(content);
        if (whenNew is { } facts)
            file.Apply(
                file.Facts() with
                {
                    Owner = facts.Owner,
                    Group = facts.Group,
                    Mode = facts.Mode,
                },
                Attributes.None
            );
        else
        {
            using var old = folder.OpenFile(name);
            var own = old.Facts();
            file.Apply(
                file.Facts() with
                {
                    Owner = own.Owner,
                    Group = own.Group,
                    Mode = own.Mode,
                },
                old.ReadAttributes()
            );
        }
        file.Flush();
    }
}
