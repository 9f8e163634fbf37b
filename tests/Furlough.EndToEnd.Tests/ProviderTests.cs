using System.Net;
using Furlough.Platform.Tests;
using Furlough.Protocol.Api;
using Furlough.Service.Access.People;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>People sign in with the office's provider, in Chromium and on the command line.</summary>
public sealed class ProviderTests : IDisposable
{
    private readonly Field _field = new();
    private readonly OfficePeople _people = new();

    public void Dispose()
    {
        _people.Dispose();
        _field.Dispose();
    }

    private void Start(bool refresh = true)
    {
        _field.StartService(
            provider: new SignInProvider(
                new Uri(_people.Issuer),
                "furlough",
                "ferns and mosses and lichens",
                ["groups"],
                "groups",
                [
                    new GroupLevel("it-lead", AccessLevel.Steward),
                    new GroupLevel("it-desk", AccessLevel.Technician),
                    new GroupLevel("it-audit", AccessLevel.Reader),
                ]
            )
        );
        _people.Do("start", new { service = _field.Address, refresh });
    }

    private string SignIn(string person) => _people.Do("signIn", new { service = _field.Address, person });

    private string Open(string path) => _people.Do("open", new { address = _field.Address + path });

    [Fact]
    public void Groups_give_levels_in_the_browser_and_one_that_is_taken_away_is_gone_within_five_minutes()
    {
        Start();
        _people.Put("pim.alder", "it-audit", "everybody");
        _people.Put("asa.lind", "everybody", "it-desk", "it-audit");
        _people.Put("mara.ostby", "it-lead");
        _people.Put("ole.fen", "everybody");
        SignIn("pim.alder")
            .ShouldSatisfyAllConditions(
                p => p.ShouldContain("pim.alder"),
                p => p.ShouldContain("Your access level (reader)")
            );
        SignIn("ole.fen").ShouldContain("none of your groups has an access level");
        SignIn("mara.ostby").ShouldContain("mara.ostby");
        _field
            .Run("access", "list")
            .Out.Split('\n')
            .ShouldSatisfyAllConditions(
                l => l.ShouldContain(line => line.Contains("pim.alder") && line.Contains("reader")),
                l => l.ShouldContain(line => line.Contains("mara.ostby") && line.Contains("steward")),
                l => l.ShouldNotContain(line => line.Contains("ole.fen"))
            );

        SignIn("asa.lind").ShouldNotContain("Your access level");
        _people.Put("asa.lind", "everybody", "it-audit");
        _field.Time.Advance(TimeSpan.FromMinutes(5));
        Open("/").ShouldContain("Your access level (reader)");
        _people.Put("asa.lind", "everybody");
        _field.Time.Advance(TimeSpan.FromMinutes(5));
        Open("/").ShouldContain("Sign in with 127.0.0.1");
        _field
            .Run("history", "list")
            .Out.ShouldSatisfyAllConditions(
                h => h.ShouldContain("level changed"),
                h => h.ShouldContain("none of their groups has an access level any more")
            );
    }

    [Fact]
    public void While_the_provider_is_away_sessions_last_until_they_end_and_an_emergency_token_opens_the_console()
    {
        Start();
        _people.Put("asa.lind", "it-desk");
        SignIn("asa.lind");
        _people.Do("stop");
        _field.Time.Advance(TimeSpan.FromHours(1));
        Open("/runs").ShouldContain("asa.lind");
        _field.Time.Advance(TimeSpan.FromHours(11));
        Open("/").ShouldContain("Sign in with 127.0.0.1");
        Open("/sign-in/begin").ShouldContain("does not answer at the moment");
        _people.Do("token", new { token = _field.Token }).ShouldContain("steward");

        _people.Do("again");
        SignIn("asa.lind").ShouldContain("asa.lind");
        _people.Do("signOut").ShouldContain("Sign in with");
        _field.Run("access", "list").Out.ShouldNotContain("asa.lind");

        SignIn("asa.lind").ShouldContain("asa.lind");
        _field.StopService();
        _field.StartService();
        Open("/").ShouldNotContain("asa.lind", Case.Insensitive, "no provider stands in the settings any more");
    }

    [Fact]
    public void Without_a_token_to_ask_again_with_a_session_ends_when_it_would_have_to_be_asked()
    {
        Start(refresh: false);
        _people.Put("asa.lind", "it-desk");
        SignIn("asa.lind").ShouldContain("asa.lind");
        _field.Time.Advance(TimeSpan.FromMinutes(5.1));
        Open("/").ShouldContain("Sign in with");
    }

    [Fact]
    public async Task A_command_line_signs_in_with_a_code_and_out_again()
    {
        Start();
        _people.Put("asa.lind", "it-desk");
        var home = Directory.CreateDirectory(Path.Combine(_field.Folder, "home")).FullName;
        using (var signIn = Furlough(home, "access", "sign-in"))
        {
            var said = (await signIn.StandardError.ReadLineAsync(TestContext.Current.CancellationToken))!;
            said.ShouldContain(_people.Issuer + "/device");
            var code = said[(said.IndexOf("the code ", StringComparison.Ordinal) + 9)..].Split('.')[0];
            _people.Do("enter", new { code, person = "asa.lind" });
            Field
                .Finish(signIn)
                .ShouldSatisfyAllConditions(
                    o => o.Code.ShouldBe(0, o.ToString()),
                    o => o.Out.ShouldContain("You are asa.lind (technician)")
                );
        }
        var file = Path.Combine(home, ".config/furlough/connection");
        LinuxTree.Sh($"stat -c %a {file}").Trim().ShouldBe("600");
        using (var status = Furlough(home, "service", "status"))
            Field.Finish(status).Out.ShouldContain("you are asa.lind (technician)");
        using (var list = Furlough(home, "access", "list"))
            Field.Finish(list).Error.ShouldContain("asa.lind has the access level technician; this needs steward.");

        // Within five minutes after the provider has ended it.
        _people.Do("end", new { person = "asa.lind" });
        _field.Time.Advance(TimeSpan.FromMinutes(5));
        using (var ended = Furlough(home, "service", "status"))
            Field.Finish(ended).Code.ShouldNotBe(0);
        using (var signOut = Furlough(home, "access", "sign-out"))
            Field.Finish(signOut).Code.ShouldBe(0);
        File.ReadAllText(file).ShouldNotContain("token=");

        using var declined = Furlough(home, "access", "sign-in");
        var second = (await declined.StandardError.ReadLineAsync(TestContext.Current.CancellationToken))!;
        _people.Do(
            "enter",
            new
            {
                code = second[(second.IndexOf("the code ", StringComparison.Ordinal) + 9)..].Split('.')[0],
                person = "asa.lind",
                declines = true,
            }
        );
        Field
            .Finish(declined)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldNotBe(0),
                o => o.Error.ShouldContain("The sign-in was declined.")
            );
    }

    private System.Diagnostics.Process Furlough(string home, params string[] arguments) =>
        Field.Launch(
            "furlough",
            ["--service", _field.Address, .. arguments],
            ("HOME", home),
            ("XDG_CONFIG_HOME", ""),
            ("FURLOUGH_TOKEN", "")
        );

    [Fact]
    public async Task Answers_that_nobody_asked_for_and_handles_that_were_made_up_open_nothing()
    {
        Start();
        using var http = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false })
        {
            BaseAddress = new Uri(_field.Address),
        };
        var stop = TestContext.Current.CancellationToken;
        using (var forged = await http.GetAsync("/sign-in/callback?code=made-up&state=made-up", stop))
            forged.Headers.Location!.ToString().ShouldBe("/?sign-in=failed");
        using var made = await http.PostAsync(
            "/api/v1/sign-in/answers",
            new StringContent("{\"handle\":\"made-up\"}", System.Text.Encoding.UTF8, "application/json"),
            stop
        );
        made.StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await made.Content.ReadAsStringAsync(stop)).ShouldContain("sign-in-lapsed");
    }

    [Fact]
    public void Without_a_provider_there_are_tokens_only_and_names_of_revoked_ones_can_be_used_again()
    {
        _field.StartService();
        _field.Run("access", "sign-in").Error.ShouldContain("with tokens only");
        var former = _field.Run("access", "add", "ole.fen", "--level", "reader").Out.Trim();
        _field.Run("access", "revoke", "ole.fen").Code.ShouldBe(0);
        _field.Run("access", "revoke", "ole.fen").Error.ShouldContain("was revoked at");
        var token = _field.Run("access", "add", "ole.fen", "--level", "technician").Out.Trim();
        _field.RunAs(former, "machine", "list").Code.ShouldNotBe(0);
        _field.RunAs(token, "machine", "list").Code.ShouldBe(0);
        _field.Run("access", "list").Out.Split('\n').Count(l => l.Contains("ole.fen")).ShouldBe(1);
    }
}
