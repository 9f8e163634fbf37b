using System.Globalization;
using System.Text;
using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Puts right by what people find the holding: the entry that opens its program without it is taken away from the
/// account, and beside the holding a shortcut that opens it and a note that says what it is are left. A return puts
/// everything back. What cannot be corrected is reported and stops nothing: the data is where it shall be.
/// </summary>
public sealed class MendStep : IStep
{
    private const string Note = ".txt";

    // The account starts the shortcut; anyone who finds the note may read it.
    private const uint ForTheAccount = 0x1C0,
        ForAll = 0x1A4;

    /// <inheritdoc/>
    public Step Name => Step.Mend;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTargetOpen;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetOpen;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var (program, leaves) = (context.Docket.Program!, context.Docket.Work == DocketWork.Relocate);
        if (program.Launcher is { } entry)
            Try(context, $"The entry {entry} of {context.Docket.Holding.Account}", () =>
                MendLauncher(context, entry, leaves)
            );
        if (program.Opens.Count == 0)
            return;
        if (leaves)
            Try(context, $"What marks {context.Docket.Holding}", () => LeaveMarks(context));
        Try(context, $"What marked {context.Docket.Holding}", () => TakeMarksAway(context));
    }

    private static void Try(StepContext context, string what, Action mend)
    {
        try
        {
            mend();
        }
        catch (Fault fault)
        {
            context.Report.Add($"{what} is as it was: {fault.Message}");
        }
    }

    private static void MendLauncher(StepContext context, string entry, bool leaves)
    {
        if (context.Machine.Launchers is not { } launchers)
        {
            context.Report.Add($"The entry {entry} stays as it is: entries of programs are not known on this system.");
            return;
        }
        if (leaves)
            launchers.Hide(context.Docket.Holding.Account, entry);
        else
            launchers.Show(context.Docket.Holding.Account, entry);
    }

    private static void LeaveMarks(StepContext context)
    {
        using var parent = Reach.Parent(context.Places.TargetVolume(), context.Docket.Target);
        var marks = MarksOf(context, context.Docket.Target);
        if (marks.Count == 1)
            context.Report.Add(
                $"No shortcut to {context.Docket.Holding} was left: commands of kind cards do not run on this machine."
            );
        using var rights = context.Places.In(parent, context.Places.TargetVolume());
        foreach (var (name, content, mode) in marks)
        {
            if (parent.Find(name) is null)
                Leave(context, parent, name, content, mode);
            else if (!Holds(parent, name, content))
                context.Report.Add(
                    $"`{PathText.Show(name)}` was not left beside {context.Docket.Holding}: something else has that name."
                );
        }
        parent.Flush();
    }

    /// <summary>Beside where the holding was; only what is as it was left.</summary>
    private static void TakeMarksAway(StepContext context)
    {
        using var parent = Reach.TryParent(context.Places.SourceVolume(), context.Docket.Source);
        if (parent is null)
            return;
        var marks = MarksOf(context, context.Docket.Source);
        using var rights = context.Places.In(parent, context.Places.SourceVolume());
        foreach (var (name, content, _) in marks)
            if (Holds(parent, name, content))
                parent.RemoveFile(name);
        parent.Flush();
    }

    /// <summary>The note, and the shortcut where one can be made.</summary>
    private static List<(string Name, byte[] Content, uint Mode)> MarksOf(StepContext context, Place place)
    {
        var (title, shown) = ($"{context.Docket.Holding}", context.Machine.Volumes.Show(place));
        IReadOnlyList<string> command =
        [
            .. context.Docket.Program!.Opens.Select(a =>
                a.Replace(OwnProgram.Library, shown, StringComparison.Ordinal)
            ),
        ];
        var shortcut = context.Machine.Launchers?.ShortcutTo(title, command);
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

    private static void Leave(StepContext context, IFolder parent, string name, byte[] content, uint mode)
    {
        var fresh = $"{Layout.Prefix}{context.Docket.Id:N}-mark";
        if (parent.Find(fresh) is not null)
            parent.RemoveFile(fresh);
        using (var file = parent.MakeFile(fresh))
        {
            file.Append(content);
            if (uint.TryParse(context.Docket.AccountId, NumberStyles.None, CultureInfo.InvariantCulture, out var owner))
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
