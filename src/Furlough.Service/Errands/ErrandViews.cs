using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;

namespace Furlough.Service.Errands;

/// <summary>An errand as people see it.</summary>
internal static class ErrandViews
{
    internal static ErrandView Of(ErrandRow row, MachineRow machine, TimeProvider time) =>
        new()
        {
            Number = row.Number,
            Kind = row.Kind,
            Cause = row.Cause,
            State = row.State,
            Machine = machine.Name,
            Room = machine.Room,
            Account = row.Account.Length == 0 ? null : row.Account,
            Run = row.Run,
            Relocation = row.Relocation,
            Text = row.Text,
            RaisedAt = row.RaisedAt,
            Due = row.Due,
            Overdue = row.State.IsToDo() && row.Due < time.GetUtcNow(),
            ClaimedBy = row.ClaimedBy,
            ClaimedAt = row.ClaimedAt,
            EndedBy = row.EndedBy,
            EndedAt = row.EndedAt,
            Remark = row.Remark,
        };
}
