using System.Globalization;
using System.Text;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Puts right by what people find the holding: the entry that opens its program without it is taken away from the account, and beside the holding a shortcut that opens it and a note that says what it
/// is are left. A return puts everything back. What cannot be put right is told and stops nothing: the data is where it shall be.
/// </summary>
public sealed class MendStep : IStep
{
    private const string Note = ".txt";

    // The account starts the shortcut; whoever finds the note may read it.
    private const uint ForTheAccount = 0x1C0,
        ForAll = 0x1A4;

    /// <inheritdoc/>
    public Step Name => Step.Mend;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var (program, leaves) = (work.Docket.Program!, work.Docket.Work == DocketWork.Relocate);
        if (program.Launcher is { } entry)
            Try(work, $"The entry {entry} of {work.Docket.Holding.Account}", () => MendLauncher(work, entry, leaves));
        if (program.Opens.Count == 0)
            return;
        if (leaves)
            Try(work, $"What marks {work.Docket.Holding}", () => LeaveMarks(work));
        Try(work, $"What marked {work.Docket.Holding}", () => TakeMarksAway(work));
    }

    private static void Try(Work work, string what, Action mend)
    {
        try
        {
            mend();
        }
        catch (Fault fault)
        {
            work.Report($"{what} is as it was: {fault.Message}");
        }
    }

    private static void MendLauncher(Work work, string entry, bool leaves)
    {
        if (work.Machine.Launchers is not { } launchers)
        {
            work.Report($"The entry {entry} stays as it is: entries of programs are not known on this system.");
            return;
        }
        if (leaves)
            launchers.Hide(work.Docket.Holding.Account, entry);
        else
            launchers.Show(work.Docket.Holding.Account, entry);
    }

    private static void LeaveMarks(Work work)
    {
        using var parent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        var marks = MarksOf(work, work.Docket.Target);
        if (marks.Count == 1)
            work.Report(
                $"No shortcut to {work.Docket.Holding} was left: commands of kind cards do not run on this machine."
            );
        using var rights = work.In(parent, work.TargetVolume());
        foreach (var (name, content, mode) in marks)
        {
            if (parent.Find(name) is null)
                Leave(work, parent, name, content, mode);
            else if (!Holds(parent, name, content))
                work.Report(
                    $"`{PathText.Show(name)}` was not left beside {work.Docket.Holding}: something else has that name."
                );
        }
        parent.Flush();
    }

    /// <summary>Beside where the holding was; only what is as it was left.</summary>
    private static void TakeMarksAway(Work work)
    {
        using var parent = Work.TryParent(work.SourceVolume(), work.Docket.Source);
        if (parent is null)
            return;
        var marks = MarksOf(work, work.Docket.Source);
        using var rights = work.In(parent, work.SourceVolume());
        foreach (var (name, content, _) in marks)
            if (Holds(parent, name, content))
                parent.RemoveFile(name);
        parent.Flush();
    }

    /// <summary>The note, and the shortcut where one can be made.</summary>
    private static List<(string Name, byte[] Content, uint Mode)> MarksOf(Work work, Place place)
    {
        var (title, shown) = ($"{work.Docket.Holding}", work.Machine.Volumes.Show(place));
        IReadOnlyList<string> command =
        [
            .. work.Docket.Program!.Opens.Select(a => a.Replace(OwnProgram.Library, shown, StringComparison.Ordinal)),
        ];
        var shortcut = work.Machine.Launchers?.ShortcutTo(title, command);
        var note = $"""
            {title}

            Kept in {shown}
            and opened {(
                shortcut is null
                    ? $"by {string.Join(' ', command)}"
                    : "by the shortcut of the same name beside this note"
            )}.
            Please neither move nor rename that folder: its program would not find it.

            """;
        List<(string, byte[], uint)> marks = [(title + Note, Encoding.UTF8.GetBytes(note), ForAll)];
        if (shortcut is not null)
            marks.Add((title + shortcut.Ending, Encoding.UTF8.GetBytes(shortcut.Content), ForTheAccount));
        return marks;
    }

    private static void Leave(Work work, IFolder parent, string name, byte[] content, uint mode)
    {
        var fresh = $"{Layout.Prefix}{work.Docket.Id:N}-mark";
        if (parent.Find(fresh) is not null)
            parent.RemoveFile(fresh);
        using (var file = parent.MakeFile(fresh))
        {
            file.Append(content);
            if (uint.TryParse(work.Docket.AccountId, NumberStyles.None, CultureInfo.InvariantCulture, out var owner))
                file.Apply(
                    file.Facts() with
                    {
                        Owner = owner,
                        Group = parent.Facts().Group,
                        Mode = mode,
                    },
                    Attributes.None
                );
            file.Flush();
        }
        parent.Move(fresh, parent, name);
    }

    private static bool Holds(IFolder parent, string name, byte[] content)
    {
        if (parent.Find(name) is not { Kind: NodeKind.File } there || there.SizeBytes != content.Length)
            return false;
        using var file = parent.OpenFile(name);
        using var stream = file.Read();
        var found = new byte[content.Length];
        return stream.ReadAtLeast(found, found.Length, throwOnEndOfStream: false) == found.Length
            && found.AsSpan().SequenceEqual(content);
    }
}
