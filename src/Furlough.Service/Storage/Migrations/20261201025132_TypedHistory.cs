using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class TypedHistory : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_History_Subject",
                table: "History");

            migrationBuilder.RenameColumn(
                name: "Subject",
                table: "History",
                newName: "SubjectName");

            migrationBuilder.AddColumn<string>(
                name: "About",
                table: "History",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<string>(
                name: "Detail",
                table: "History",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "SubjectNumber",
                table: "History",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "EndedAs",
                table: "Dockets",
                type: "TEXT",
                nullable: true);

            foreach (var sql in FormerHistory.ToEvents())
                migrationBuilder.Sql(sql);

            migrationBuilder.CreateIndex(
                name: "IX_History_About_SubjectNumber",
                table: "History",
                columns: new[] { "About", "SubjectNumber" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_History_About_SubjectNumber",
                table: "History");

            migrationBuilder.DropColumn(
                name: "About",
                table: "History");

            migrationBuilder.DropColumn(
                name: "Detail",
                table: "History");

            migrationBuilder.DropColumn(
                name: "SubjectNumber",
                table: "History");

            migrationBuilder.DropColumn(
                name: "EndedAs",
                table: "Dockets");

            migrationBuilder.RenameColumn(
                name: "SubjectName",
                table: "History",
                newName: "Subject");

            migrationBuilder.CreateIndex(
                name: "IX_History_Subject",
                table: "History",
                column: "Subject");
        }
    }
}
