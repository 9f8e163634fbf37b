using Furlough.Protocol.Api;

namespace Furlough.Service.Machines;

/// <summary>
/// The commands that set an agent up with an invite. None of them has the code on a command line that other accounts of
/// the machine could read.
/// </summary>
internal static class InviteWays
{
    /// <param name="room">What says in which room the machine is; null where each agent has to.</param>
    internal static IReadOnlyList<InviteWay> Of(string code, string? room, Uri service)
    {
        var address = service.ToString().TrimEnd('/');
        var version = typeof(InviteWays).Assembly.GetName().Version!.ToString(3);
        var roomLine = room is null ? "'room = ROOM' " : "";
        var lines = $"'service = {address}' {roomLine}'code-file = /etc/furlough/agent-invite'";
        return
        [
            new InviteWay(
                "Debian",
                $"""
                install -d /etc/furlough
                (umask 077; echo '{code}' > /etc/furlough/agent-invite)
                printf '%s\n' {lines} > /etc/furlough/agent.conf
                apt-get install -y ./furlough-agent_{version}_amd64.deb
                """
            ),
            new InviteWay(
                "Windows (the code in a file that the machine can read)",
                $"msiexec /qn /i furlough-agent-{version}-win-x64.msi SERVICE={address} CODEFILE=FILE"
                    + (room is null ? " ROOM=\"ROOM\"" : "")
            ),
            new InviteWay(
                "Any system, by hand (it reads the code from standard input)",
                $"furlough-agent --service {address}{(room is null ? " --room \"ROOM\"" : "")} --code-file -"
            ),
        ];
    }
}
