using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>Faults as technicians read them: what happened, where the data is now, what to do.</summary>
internal static class FailureText
{
    /// <summary>The failure.</summary>
    /// <param name="isLive">The data is at its new place for good: nothing is left to try again, but to check that all
    /// is right.</param>
    /// <param name="waits">It continues when the fault is over.</param>
    internal static Failure Of(Docket docket, Fault fault, string where, bool isLive = false, bool waits = false) =>
        new(
            fault.Kind.Code,
            Sentence(docket, fault, waits ? "waits" : "stopped"),
            where,
            fault is IoFault { Reason: IoReason.Unreadable } io && IsOfCopy(docket, io.Path)
                ? "Check the disk of the target; the source can be read."
                : fault.Remedy
        )
        {
            Next = isLive ? NextStep.Audit : NextOf(docket, fault, waits),
            Relocation = docket.Relocation,
        };

    private static NextStep NextOf(Docket docket, Fault fault, bool waits) =>
        fault.Next != NextStep.Retry ? fault.Next
        : waits && fault.Kind.Class == FaultClass.Obstacle ? NextStep.Wait
        : docket.Work switch
        {
            DocketWork.Return => NextStep.Return,
            DocketWork.FallBack => NextStep.FallBack,
            DocketWork.Gather => NextStep.Gather,
            DocketWork.Discard => NextStep.Discard,
            _ => NextStep.Retry,
        };

    private static string Sentence(Docket docket, Fault fault, string what)
    {
        var doing = docket.Work switch
        {
            DocketWork.Discard => "Discarding the original of",
            DocketWork.Return => "The return of",
            DocketWork.FallBack => "Falling back of",
            DocketWork.Gather => "Gathering what stands at the former place of",
            _ => "The relocation of",
        };
        return fault is IoFault io
            ? $"{doing} {docket.Holding} {what}: "
                + $"{(IsOfCopy(docket, io.Path) ? "the copy of " : "")}`{PathText.Show(Within(docket, io.Path))}` "
                + $"{Verb(io.Reason)} ({io.SystemWords})."
            : $"{doing} {docket.Holding} {what}: {char.ToLowerInvariant(fault.Message[0])}{fault.Message[1..]}";
    }

    private static string Verb(IoReason reason) =>
        reason switch
        {
            IoReason.Unreadable => "cannot be read",
            IoReason.NoSpace => "does not fit on its volume",
            IoReason.ReadOnly => "cannot be written",
            IoReason.Denied => "may not be opened or changed",
            IoReason.Changed => "keeps changing",
            IoReason.BehindLink => "is not what it should be",
            IoReason.NotFound => "is missing",
            _ => "stopped the work",
        };

    /// <summary>Whether a path lies in the copy that is being made, and not in the source.</summary>
    private static bool IsOfCopy(Docket docket, string path) =>
        path.Contains($"/{Layout.FolderOf(docket.Id, DocketSide.Copy)}/{Layout.Staging}/", StringComparison.Ordinal);

    /// <summary>A node's path below the holding, where it lies there.</summary>
    private static string Within(Docket docket, string path)
    {
        foreach (var root in (string[])[docket.Source.Path, docket.Target.Path])
            if (path.StartsWith(root + "/", StringComparison.Ordinal))
                return path[(root.Length + 1)..];
        var staging = $"/{Layout.FolderOf(docket.Id, DocketSide.Copy)}/{Layout.Staging}/";
        if (path.IndexOf(staging, StringComparison.Ordinal) is var at and >= 0)
            return path[(at + staging.Length)..];
        return path;
    }
}
