using Furlough.Protocol.Api;

namespace Furlough.Service.History;

/// <summary>What an entry of the history is about.</summary>
internal static class About
{
    internal static readonly HistorySubject Fleet = Named(SubjectKind.Fleet, "");
    internal static readonly HistorySubject Service = Named(SubjectKind.Service, "");
    internal static readonly HistorySubject Certificate = Named(SubjectKind.Certificate, "");

    internal static HistorySubject Plan(long number) => Numbered(SubjectKind.Plan, number);

    internal static HistorySubject Run(long number) => Numbered(SubjectKind.Run, number);

    internal static HistorySubject Relocation(long number) => Numbered(SubjectKind.Relocation, number);

    internal static HistorySubject Errand(long number) => Numbered(SubjectKind.Errand, number);

    internal static HistorySubject Audit(long number) => Numbered(SubjectKind.Audit, number);

    internal static HistorySubject Docket(Guid id) => Named(SubjectKind.Docket, id.ToString());

    internal static HistorySubject Machine(string name) => Named(SubjectKind.Machine, name);

    internal static HistorySubject Room(string name) => Named(SubjectKind.Room, name);

    internal static HistorySubject Account(string name) => Named(SubjectKind.Account, name);

    internal static HistorySubject Token(string name) => Named(SubjectKind.Token, name);

    internal static HistorySubject Receiver(string name) => Named(SubjectKind.Receiver, name);

    internal static HistorySubject KindCard(string name) => Named(SubjectKind.KindCard, name);

    /// <param name="whose">The machine or the room that it is for; empty for any room.</param>
    internal static HistorySubject Invite(string whose) => Named(SubjectKind.Invite, whose);

    private static HistorySubject Numbered(SubjectKind kind, long number) => new(kind, number, "");

    private static HistorySubject Named(SubjectKind kind, string name) => new(kind, null, name);
}
