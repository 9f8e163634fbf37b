using Furlough.Engine;
using Furlough.Platform.Settings;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>One key of a settings file is read, changed and put back, and every other character stays (I6).</summary>
public sealed class SettingSyntaxTests
{
    private const string Next = "/data/It's \"here\" & there/ü";

    /// <summary>Syntax, key, the file with the raw value between ‹ and ›, and what that value means.</summary>
    public static TheoryData<string, string, string, string> Present() =>
        new()
        {
            {
                "ini",
                "library/path",
                "; first\r\n[other]\r\npath=x\r\n\r\n[library]\r\n  path = ‹/home/a b›  \r\npaths=y\r\n; path = z\r\n",
                "/home/a b"
            },
            { "ini", "library/path", "[library]\npath=old\npath=‹\"new\"›", "new" },
            { "ini", "path", "path=‹›\n[library]\npath=x\n", "" },
            { "environment", "STORE", "# STORE=x\nexport STORE=‹\"/a \\\"b\\\" \\$c\"›\nSTOREROOM=1\n", "/a \"b\" $c" },
            { "environment", "STORE", "STORE=1\nSTORE=‹'/it $is'›", "/it $is" },
            { "environment", "STORE", "STORE=‹/plain›\n", "/plain" },
            {
                "properties",
                "store.dir",
                "! store.dir=x\nstore.dir : ‹C:\\\\Data\\u00fc›\nstore.dirs=y\n",
                "C:\\Dataü"
            },
            { "properties", "store dir", "store\\ dir ‹/one/\\\n   two›\nother=1", "/one/two" },
            { "properties", "a", "a=x\\\\\nb=\na=‹/y›\n", "/y" },
            {
                "json",
                "library/path",
                "{\n  // \"library\": no\n  \"other\": [\"path\", {\"path\": 1}],\n  \"library\" : { \"path\" "
                    + ":‹\"C:\\\\Data \\u00fc\\/x\"›, /* }{ */ \"n\": -1.5e3 },\n}\n",
                "C:\\Data ü/x"
            },
            { "json", "roots/1/path", "{\"roots\":[{\"path\":\"a\"},{\"path\":‹\"b\"›}]}", "b" },
            { "json", "pa th", "{\"p\\u0061 th\":‹\"b\"›}", "b" },
            {
                "xml",
                "config/library/@path",
                "<?xml version=\"1.0\"?>\n<!DOCTYPE config>\n<config>\n  <!-- <library path=\"no\"/> -->\n  "
                    + "<library name='x' path = '‹C:\\Data &amp; &#252;›'/>\n</config>\n",
                "C:\\Data & ü"
            },
            {
                "xml",
                "config/library/path",
                "<config><other><path>no</path></other><library a=\">\"><name/><path>\n  ‹/data/x y›\n"
                    + "</path></library><library><path>later</path></library></config>",
                "/data/x y"
            },
            {
                "xml",
                "c/entry[key=store]",
                "<c><entry key=\"other\">a</entry><entry key=\"store\">‹<![CDATA[/b & c]]>›</entry></c>",
                "/b & c"
            },
            { "xml", "c/e", "<c><e>‹›</e></c>", "" },
            {
                "toml",
                "library/path",
                "path = \"no\"\n[other]\npath = \"\"\"\n[library]\npath = \"no\"\"\"\"\nlist = [\"]\", # ]\n  "
                    + "\"[library]\"]\n[library] # here\n\"path\" = ‹\"C:\\\\Data \\u00fc\"› # there\n"
                    + "[[library.more]]\npath = 'no'\n",
                "C:\\Data ü"
            },
            { "toml", "library/path", "library.path = ‹'C:\\Data'›\n", "C:\\Data" },
            { "toml", "a b/path", "[\"a b\"]\r\n  path=‹'/x'›\r\n", "/x" },
            {
                "yaml",
                "library/path",
                "%YAML 1.2\n---\n# library:\nother:\n  path: no\n  text: |\n    library:\n      path: no\nlist:\n"
                    + "- path: no\n  more: x\nlibrary:   # the library\n    name: \"a: b\"\n    path:  ‹/data/x y›   # "
                    + "moved\n    'pa#th': z\n",
                "/data/x y"
            },
            { "yaml", "path", "path: ‹'it''s'›\r\nx: 1\r\n", "it's" },
            { "yaml", "a/b/c", "a:\n  b:\n    c: ‹\"\\u00fc \\\"x\\\"\"›", "ü \"x\"" },
            {
                "yaml",
                "a/b",
                "a:\n  text: 'x\n    b: no\n    y'\n  flow: {b: no,\n    b: no}\n  b: ‹C:\\Data›\n",
                "C:\\Data"
            },
        };

    [Theory]
    [MemberData(nameof(Present))]
    public void Only_the_value_changes_and_comes_back_I6(string name, string key, string marked, string means)
    {
        var syntax = SettingSyntax.All[name];
        var (path, text) = (
            key.Split('/'),
            marked.Replace("‹", "", StringComparison.Ordinal).Replace("›", "", StringComparison.Ordinal)
        );
        var range = syntax.Locate(text, path).ShouldNotBeNull();
        range.ShouldBe(
            marked.IndexOf('‹', StringComparison.Ordinal)..(marked.IndexOf('›', StringComparison.Ordinal) - 1)
        );
        syntax.Decode(text[range]).ShouldBe(means);

        foreach (var value in (string[])[Next, "D:\\People\\asa.lind", "/data/plain"])
        {
            var raw = syntax.Encode(value, text[range]);
            var changed = text[..range.Start] + raw + text[range.End..];
            var now = syntax.Locate(changed, path).ShouldNotBeNull();
            syntax.Decode(changed[now]).ShouldBe(value);
            (changed[..now.Start] + text[range] + changed[now.End..]).ShouldBe(text);
        }
    }

    /// <summary>Syntax, key, a file without it.</summary>
    public static TheoryData<string, string, string> Missing() =>
        new()
        {
            { "ini", "library/path", "[library]\nname=x\n\n[other]\npath=no\n" },
            { "ini", "library/path", "[library]" },
            { "ini", "path", "[library]\npath=no\n" },
            { "environment", "STORE", "# x\r\nSTOREROOM=1\r\n" },
            { "environment", "STORE", "" },
            { "properties", "store dir", "store=1" },
            { "json", "library/path", "{\"library\": {\"name\": \"x\", }, \"path\": \"no\"}" },
            { "json", "library/path", "{\"library\": {}}" },
            { "json", "library/path", "{\"name\": 1}" },
            { "json", "a/b/c/d", "{\"a\": {\"x\": {}}}" },
            { "json", "a/b", "{ }" },
            { "profile", "STORE", "if true; then\n  . ~/.rc\nfi" },
            { "xml", "config/library/@path", "<config><library/><library path='no'/></config>" },
            { "toml", "library/path", "[library]\nname = 1\n\n[other]\npath = 'no'\n" },
            { "toml", "path", "[other]\npath = 'no'" },
            { "yaml", "library/path", "library:\n   name: x\n   inner:\n     path: no\nother: 1\n" },
            { "yaml", "library/path", "other: 1\nlibrary:" },
            { "yaml", "path", "library:\n  path: no\n" },
        };

    [Theory]
    [MemberData(nameof(Missing))]
    public void A_key_that_is_not_there_is_put_in_and_taken_away_again_I6(string name, string key, string text)
    {
        var syntax = SettingSyntax.All[name];
        var path = key.Split('/');
        syntax.Locate(text, path).ShouldBeNull();
        syntax.Remove(text, path).ShouldBe(text);
        var with = syntax.Insert(text, path, syntax.Encode(Next, null));
        syntax.Decode(with[syntax.Locate(with, path).ShouldNotBeNull()]).ShouldBe(Next);
        syntax.Remove(with, path).ShouldBe(text);
    }

    [Theory]
    [InlineData("a/b", "{\"a\":{\"b\":\"/x\"},\"c\":1}", "{\"a\":{},\"c\":1}")]
    [InlineData("a/b", "{\"a\":{\"b\":\"/x\",\"d\":2}}", "{\"a\":{\"d\":2}}")]
    [InlineData("a/b", "{\"a\":{\"d\":\"b\" , \"b\" : \"/x\"\n}}", "{\"a\":{\"d\":\"b\" \n}}")]
    public void A_key_is_taken_away_too_when_its_program_has_written_the_file_anew(
        string key,
        string text,
        string without
    ) => SettingSyntax.All["json"].Remove(text, key.Split('/')).ShouldBe(without);

    [Theory]
    [InlineData("json", "a/b", "{\"a\": {\"b\": 12}}")]
    [InlineData("json", "a", "{\"a\": \"x\"")]
    [InlineData("json", "a", "{\"a\": \"x\"} more")]
    [InlineData("json", "a", "{a: \"x\"}")]
    [InlineData("json", "a", "")]
    [InlineData("xml", "a", "<a><b/></a>")]
    [InlineData("xml", "a", "<a>x")]
    [InlineData("xml", "a", "<a>x</b>")]
    [InlineData("xml", "a", "<a b=c>x</a>")]
    [InlineData("xml", "a", "<!DOCTYPE a [<!ENTITY x \"y\">]><a>x</a>")]
    [InlineData("toml", "a", "a = 1\n")]
    [InlineData("toml", "a", "a = \"\"\"x\"\"\"\n")]
    [InlineData("toml", "a", "a = \"x\n")]
    [InlineData("toml", "a", "a\n")]
    [InlineData("yaml", "a", "a: |\n  x\n")]
    [InlineData("yaml", "a", "a: *b\n")]
    [InlineData("yaml", "a/b", "a: {b: x}\n")]
    [InlineData("yaml", "a/b", "a:\n- b: x\n")]
    [InlineData("yaml", "a", "a: x\n---\na: y\n")]
    [InlineData("yaml", "a", "just text\n")]
    [InlineData("ini", "a/b/c", "[a]\n")]
    public void What_cannot_be_changed_safely_is_refused(string name, string key, string text) =>
        Should
            .Throw<Fault>(() => SettingSyntax.All[name].Locate(text, key.Split('/')))
            .Kind.Code.ShouldBe("settings-not-understood");

    [Theory]
    [InlineData("ini", "a/b", "[c]\n")]
    [InlineData("json", "a/b", "{\"a\": []}")]
    [InlineData("xml", "a/b", "<a/>")]
    [InlineData("toml", "a/b", "[c]\n")]
    [InlineData("yaml", "a/b", "c: 1\n")]
    public void Where_the_place_of_a_key_is_missing_nothing_is_put_in(string name, string key, string text) =>
        Should
            .Throw<Fault>(() => SettingSyntax.All[name].Insert(text, key.Split('/'), "x"))
            .Kind.Code.ShouldBe("settings-not-understood");
}
