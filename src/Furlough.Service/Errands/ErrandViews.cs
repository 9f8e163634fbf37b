using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;

namespace Furlough.Service.Errands;

/// <summary>An errand as people see it.</summary>
internal static class ErrandViews
{
    internal static ErrandView Of(ErrandRow row, MachineRow machine, TimeProvider time) =>
        new(
            row.Number,
            row.Kind,
            row.Cause,
            row.State,
            machine.Name,
            machine.Room,
            row.Account.Length == 0 ? null : row.Account,
            row.Run,
            row.Relocation,
            row.Text,
            row.RaisedAt,
            row.Due,
            row.State.IsToDo() && row.Due < time.GetUtcNow(),
            row.ClaimedBy,
            row.ClaimedAt,
            row.EndedBy,
            row.EndedAt,
            row.Remark
        );
}
